import type { SongDocument } from '../document/document';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { atRest, laneOf, valuesBefore, type ControlEvent } from '../performance/controls';
import type { KeyMessage } from '../performance/messages';
import { withoutNewOverlaps, type Note, type Reading } from '../performance/notes';
import { readPart, type Reader } from '../reading/reading';
import type { Edit } from '../takes/edits';
import type { Layer, LayerEvent, LayerHeader } from '../takes/layer';
import { MEANT_AHEAD } from '../performance/intendedPlace';
import { copiedTo } from '../performance/transposition';
import { transpositionOf } from '../document/transposition';
import { noteSet } from '../performance/noteSet';
import { windowed } from '../takes/take';
import { shiftOf, type Placement } from '../placement/place';
import { secondsAt } from '../time/tempo';
import { TICK_TOLERANCE, inRange, type TickRange, type Ticks } from '../time/units';
import { isScoped, treatmentOf, type Treatment } from '../timing/treatments';
import { recipeOf, sameRecipe, type Recipe } from '../timing/recipe';

/** Facts for copies that cannot be computed: new ids, and the time. */
export interface Made {
  readonly newId: () => string;
  /** ISO 8601. */
  readonly at: string;
}

/** Lead of a copy, for notes that are early for its first beat. */
const LEAD: Ticks = 4 * MEANT_AHEAD;

/** Notes split into the fewest voices in which no key sounds twice at once; each becomes a layer. */
function voices(notes: readonly Note[]): Note[][] {
  const made: { readonly notes: Note[]; readonly free: Map<number, Ticks> }[] = [];
  for (const note of notes) {
    let voice = made.find((v) => (v.free.get(note.key) ?? -Infinity) <= note.start);
    if (!voice) {
      voice = { notes: [], free: new Map() };
      made.push(voice);
    }
    voice.notes.push(note);
    voice.free.set(note.key, note.end);
  }
  return made.map((v) => v.notes);
}

/** Order at one moment: releases come before notes, except those of notes without length. */
const [OFF, MOVE, ON, OVER_AT_ONCE] = [0, 1, 2, 3] as const;
interface Ranked {
  readonly tick: Ticks;
  readonly rank: number;
  readonly message: KeyMessage;
}

/** Layer of copied notes and controllers at exactly these places. */
function layerOf(
  header: Omit<LayerHeader, 'source' | 'latency' | 'early' | 'quantize' | 'planned'>,
  { notes, controls }: Reading,
  range: TickRange,
  maps: SongMaps,
): Layer {
  const latency = { output: 0, input: 0 };
  const shift = shiftOf(header.placement, latency);
  const events = [
    ...notes.flatMap(({ start, end, key, velocity, release }): Ranked[] => [
      { tick: start, rank: ON, message: { type: 'noteOn', key, velocity } },
      { tick: end, rank: end > start ? OFF : OVER_AT_ONCE, message: { type: 'noteOff', key, velocity: release } },
    ]),
    ...controls.map(({ at, message }): Ranked => ({ tick: at, rank: MOVE, message })),
  ]
    .sort((a, b) => a.tick - b.tick || a.rank - b.rank)
    .map(({ tick, message }): LayerEvent => ({ at: secondsAt(maps.tempo, tick) - shift, message }));
  const rings = Math.max(range.to, ...notes.map((n) => wholeEnd(n.end)));
  return {
    header: { ...header, source: 'copy', latency, early: 0, quantize: null, planned: range },
    events,
    closing: { range, clears: [], rings },
  };
}

/** Tick by which something has ended; rounding errors do not add a tick. */
const wholeEnd = (end: Ticks): Ticks => Math.ceil(end - TICK_TOLERANCE);

/** Edits for hand-set ends of notes that have become a layer's, in their order there. */
function held(notes: readonly Note[], layerId: string): Edit[] {
  const named = notes.map((n, i) => ({ id: `${layerId}:${i}`, fixed: n.fixed }));
  return (['start', 'end', 'both'] as const).flatMap((end): Edit[] => {
    const own = named.filter((n) => n.fixed === end);
    return own.length > 0 ? [{ op: 'hold', notes: noteSet(own), end }] : [];
  });
}

/** Recipe that moves nothing. */
const AS_IT_IS: Recipe = { grid: '16 straight', strength: 0, ends: 'keep length' };

/** Request to copy a range to places. */
export interface Copying {
  readonly from: Part;
  readonly range: TickRange;
  readonly to: Part;
  /** Starts of the copies. */
  readonly places: readonly Ticks[];
  /** Limit of the copies; the song's end where it is undefined. */
  readonly until?: Ticks;
}

/** Take made of a copied range, as the command expects it. */
export interface CopiedRange {
  readonly part: string;
  readonly take: {
    readonly id: string;
    readonly layers: readonly string[];
    readonly name: string;
    readonly at: string;
  };
  readonly range: TickRange;
  readonly heard: readonly TickRange[];
  readonly edits: readonly Edit[];
  readonly treatments: readonly Treatment[];
}

const alike = (a: Recipe | undefined, b: Recipe | undefined): boolean => (a && b ? sameRecipe(a, b) : a === b);
/** Test for recipes that are equal, whatever their places, ids and layers. */

/**
 * Copies a range to places: whole notes that belong to it, with controllers and treatments. The result is one take with
 * as many layers as it needs; nothing beneath it is changed.
 */
export function copyRange(
  { from: source, range, to, places, until = Infinity }: Copying,
  song: SongDocument,
  reader: Reader,
  maps: SongMaps,
  { newId, at }: Made,
): { readonly layers: readonly Layer[]; readonly copied: CopiedRange } | null {
  const line = readPart(source, reader.read);
  const length = range.to - range.from;
  const own = windowed(line, range, Infinity);
  const last = Math.min(maps.end, until);
  const inSong = places.filter((p) => p >= 0 && p < last);
  if (inSong.length === 0) return null;
  const targets = inSong.map((p) => ({ from: p, to: Math.min(p + length, last) }));
  const behind = readPart(to, reader.read).notes;

  const copies = targets.flatMap((target, turn) =>
    own.notes.flatMap((note) => {
      const by = target.from - range.from;
      const start = note.start + by;
      if (start >= target.to) return [];
      // Notes of different copies did not overlap as they were played.
      const apart = 1e9 * turn;
      const played = { ...note, start: note.start + apart, end: note.end + apart };
      const treatment = treatmentOf(note, source.treatments);
      return [{ ...note, id: `${turn} ${note.id}`, start, end: note.end + by, played, made: false, treatment }];
    }),
  );
  const whole = withoutNewOverlaps(copies).map((note) => {
    // A note that rings beyond its copy ends where the next note of its key begins.
    const end = targets.find((s) => note.start < s.to && note.start >= s.from - LEAD)!.to;
    if (note.end <= end || targets.some((s) => s.from === end)) return note;
    const next = behind.find((n) => n.key === note.key && n.start >= end && n.start < note.end);
    return next ? { ...note, end: next.start } : note;
  });

  const controls = targets.flatMap(({ from, to: until }): ControlEvent[] => {
    const moved = own.controls.map((c) => ({ ...c, at: c.at + from - range.from }));
    const inside = moved.filter((c) => c.at < until);
    const rest = [...valuesBefore(inside, until).values()].flatMap((message) => {
      const calm = atRest(message);
      return calm && calm.value !== message.value ? [{ at: until, message: calm }] : [];
    });
    return [...inside, ...rest];
  });

  const first = Math.min(...targets.map((s) => s.from));
  const [takeId, passId] = [newId(), newId()];
  const layerRange = { from: first - LEAD, to: Math.max(...targets.map((s) => s.to)) };
  const placement: Placement = { policy: 'heard', nudge: 0 };
  const transposition = copiedTo(transpositionOf(song.transposition, maps.meter), range, inSong);
  const layers: Layer[] = [];
  const edits: Edit[] = [];
  const treatments: Treatment[] = [];
  const add = (notes: readonly Note[], moves: readonly ControlEvent[]): string => {
    const header = {
      ...{ id: newId(), partId: to.id, passId, takeId, from: source.name, startedAt: at },
      ...{ tempo: song.tempo.map((t) => ({ ...t })), placement },
      ...(transposition.length > 0 ? { transposition } : {}),
    };
    layers.push(layerOf(header, { notes, controls: moves }, layerRange, maps));
    edits.push(...held(notes, header.id));
    return header.id;
  };

  const groups = new Map<Treatment | undefined, typeof whole>();
  for (const note of whole) groups.set(note.treatment, [...(groups.get(note.treatment) ?? []), note]);
  if (groups.size === 0) groups.set(undefined, []);
  let moves = joinedControls(controls);
  for (const [treatment, notes] of groups) {
    const names = (notes.length > 0 ? voices(notes) : [[]]).map((voice) => {
      const name = add(voice, moves);
      moves = [];
      return name;
    });
    for (const target of targets) {
      const there = to.treatments.findLast((t) => !isScoped(t) && inRange(target.from, t));
      const covered = there && there.from <= target.from && there.to >= target.to ? there : undefined;
      const none = to.treatments.every((t) => isScoped(t) || t.to <= target.from - LEAD || t.from >= target.to);
      if (alike(treatment, covered) && (covered || none)) continue;
      const recipe: Recipe = treatment ? recipeOf(treatment) : { ...AS_IT_IS };
      const id = newId();
      treatments.push({ ...recipe, id, from: target.from - LEAD, to: target.to, layers: names });
    }
  }
  return {
    layers,
    copied: {
      part: to.id,
      take: { id: takeId, layers: layers.map((l) => l.header.id), name: `Copy of ${source.name}`.slice(0, 60), at },
      range: layerRange,
      heard: targets,
      edits,
      treatments,
    },
  };
}

/** Controllers of adjacent copies: at one tick the later one counts, and repeated values are dropped. */
function joinedControls(controls: readonly ControlEvent[]): ControlEvent[] {
  const sorted = [...controls].sort((a, b) => a.at - b.at);
  return sorted.filter((c, i) => {
    for (let k = i + 1; k < sorted.length && sorted[k]!.at === c.at; k += 1)
      if (laneOf(sorted[k]!.message) === laneOf(c.message)) return false;
    return true;
  });
}

/** Pasted notes: layers to merge over what is heard there, and edits of hand-set ends. */
export function pasteNotes(
  notes: readonly Note[],
  part: Part,
  song: SongDocument,
  maps: SongMaps,
  { newId, at }: Made,
): { readonly layers: readonly Layer[]; readonly ranges: readonly TickRange[]; readonly edits: readonly Edit[] } {
  const sorted = [...notes].sort((a, b) => a.start - b.start || a.key - b.key || (a.id < b.id ? -1 : 1));
  const passId = newId();
  // Notes are pasted at the pitch at which they were copied.
  const heardIn =
    song.transposition.length > 0 ? { transposition: transpositionOf(song.transposition, maps.meter) } : {};
  const layers: Layer[] = [];
  const edits: Edit[] = [];
  for (const voice of voices(sorted)) {
    const range = {
      from: Math.floor(Math.min(...voice.map((n) => n.start))),
      to: wholeEnd(Math.max(...voice.map((n) => Math.max(n.start + 1, n.end)))),
    };
    const header = {
      ...{ id: newId(), partId: part.id, passId, takeId: newId(), from: 'what was copied', startedAt: at },
      ...{ tempo: song.tempo.map((t) => ({ ...t })), placement: { policy: 'heard', nudge: 0 } as const },
      ...heardIn,
    };
    layers.push(layerOf(header, { notes: voice, controls: [] }, range, maps));
    edits.push(...held(voice, header.id));
  }
  return { layers, ranges: layers.map((l) => l.closing.range), edits };
}
