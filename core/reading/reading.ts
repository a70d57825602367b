import type { SongDocument } from '../document/document';
import type { Part } from '../document/part';
import { placementOf, type Join, type Take } from '../document/take';
import { MEANT_AHEAD } from '../performance/intendedPlace';
import { layerOfNote, SILENCE, type Reading } from '../performance/notes';
import { readComp, withLanes } from '../takes/line';
import { withEdits, type Edited, type Moved } from '../takes/edits';
import { readLayer, type Layer } from '../takes/layer';
import { clearedFrom, readTake, type Placed } from '../takes/take';
import { tempoMap } from '../time/tempo';
import { tempoWarpBetween, warpRange, type TempoWarp } from '../time/tempoWarp';
import type { TickRange, Ticks } from '../time/units';
import { type Treatment } from '../timing/treatments';
import type { Clock } from '../timing/lattice';
import type { Decided } from '../timing/unitLines';
import { treat, type TreatedReading } from '../timing/treatment';
import { between, NOT_TRANSPOSED, semitonesOf, transposed, type Transposition } from '../performance/transposition';
import { transpositionOf } from '../document/transposition';
import { meterMap } from '../time/meter';

/** Layers by id; a layer that is missing reads as silence. */
export type Layers = ReadonlyMap<string, Layer>;
/** Former tempo maps of a song. */
export type Clocks = SongDocument['clocks'];

/** Move of song time through several changes of tempo. */
function movedThrough(warps: Take['warps'], clocks: Clocks): Moved | null {
  const steps = warps.flatMap(({ from, to, shift }): Moved[] => {
    const [a, b] = [clocks[from], clocks[to]];
    if (!a || !b) return [];
    const [before, after] = [tempoMap(a), tempoMap(b)];
    return [{ now: tempoWarpBetween(before, after, shift), then: tempoWarpBetween(after, before, -shift) }];
  });
  if (steps.length < 2) return steps[0] ?? null;
  return {
    now: (tick) => steps.reduce((at, step) => step.now(at), tick),
    then: (tick) => steps.reduceRight((at, step) => step.then(at), tick),
  };
}

/** Move of a take's layer since it was recorded, through each change of tempo that it stayed in place for. */
const layerMoved = ({ warps }: Pick<Take, 'warps'>, clocks: Clocks, index: number): Moved | null =>
  movedThrough(
    warps.filter((w) => index < w.layers),
    clocks,
  );
export const warpOf = (take: Pick<Take, 'warps'>, clocks: Clocks, index: number): TempoWarp | undefined =>
  layerMoved(take, clocks, index)?.now;

/**
 * Transposition of a layer against what was played: the song's, less the one in force when it was recorded, at its
 * present place.
 */
export function layerTransposition(
  { header: { transposition: own = NOT_TRANSPOSED } }: Pick<Layer, 'header'>,
  song: Transposition,
  warp: TempoWarp | undefined,
): Transposition {
  if (own.length === 0) return song;
  const now = warp ? own.map(({ tick, semitones }) => ({ tick: Math.round(warp(tick)), semitones })) : own;
  return between(now, song);
}

/** Layers of a take that are not muted, bottom first. */
export const placedLayers = (
  take: LayersOf,
  layers: Layers,
  clocks: Clocks,
  transposition = NOT_TRANSPOSED,
): Placed[] =>
  take.layers.flatMap((id, index): Placed[] => {
    const layer = take.muted.includes(id) ? undefined : layers.get(id);
    if (!layer) return [];
    const warp = warpOf(take, clocks, index);
    return [
      {
        ...{ layer, placement: take.placements[id], warp, windows: take.windows[id] },
        transposition: layerTransposition(layer, transposition, warp),
      },
    ];
  });

/** Reading of a take's layers without hand edits. */
const readLayers = (take: LayersOf, layers: Layers, clocks: Clocks, transposition: Transposition): Reading =>
  readTake(placedLayers(take, layers, clocks, transposition), take.placement);

/**
 * Reading of part of a one-layer take; notes outside the range may be left out, which saves most of the work.
 * @returns null where the take is better read whole
 */
function readRange(
  take: LayersOf,
  layers: Layers,
  clocks: Clocks,
  transposition: Transposition,
  { from, to }: TickRange,
): Reading | null {
  const [id, ...more] = take.layers;
  const layer = id === undefined || more.length > 0 ? undefined : layers.get(id);
  if (!layer || take.muted.includes(layer.header.id) || take.windows[layer.header.id]) return null;
  const moved = layerMoved(take, clocks, 0);
  const then = moved?.then ?? ((tick) => tick);
  // Rounding moves nothing by more than a tick.
  const within = { from: then(from - MEANT_AHEAD) - 1, to: then(to) + 1 };
  const { range } = layer.closing;
  if (2 * (within.to - within.from) > range.to - range.from) return null;
  const reading = readLayer(layer, placementOf(take, layer.header.id), moved?.now, within);
  return transposed(reading, layerTransposition(layer, transposition, moved?.now));
}

/** Fields of a take that decide how its layers read. */
type LayersOf = Pick<Take, 'layers' | 'muted' | 'warps' | 'windows' | 'placement' | 'placements'>;

/**
 * Range in which a take's notes can begin, known without reading its layers.
 * @returns null for a take with hand edits, which can begin anywhere
 */
export function reachOf(take: Take, layers: Layers, clocks: Clocks): TickRange[] | null {
  if (take.edits.length > 0) return null;
  return take.layers.flatMap((id, index) => {
    const range = take.muted.includes(id) ? undefined : layers.get(id)?.closing.range;
    if (!range) return [];
    const warp = warpOf(take, clocks, index);
    return [warp ? warpRange(range, warp) : range];
  });
}

/** Move of song time since an edit was made. */
const movedSince = ({ warps }: Pick<Take, 'warps'>, clocks: Clocks, index: number): Moved | null =>
  movedThrough(
    warps.filter((w) => index < w.edits),
    clocks,
  );

const edited = (take: Take, clocks: Clocks, transposition: Transposition, reading: Reading): Edited => {
  const known = new Map<number, Moved | null>();
  // Edits between the same changes of tempo move alike.
  const stage = (index: number): number => take.warps.filter((w) => index < w.edits).length;
  const moved = (index: number): Moved | null => {
    if (take.warps.length === 0) return null;
    const at = stage(index);
    if (!known.has(at)) known.set(at, movedSince(take, clocks, index));
    return known.get(at)!;
  };
  return withEdits(reading, take.edits, moved, (added) => semitonesOf(transposition, added));
};

export const readTakeOf = (take: Take, layers: Layers, clocks: Clocks, transposition = NOT_TRANSPOSED): Reading =>
  edited(take, clocks, transposition, readLayers(take, layers, clocks, transposition)).reading;

/** Function that reads a take, possibly from a cache. @param range notes outside it may be left out */
export interface TakeReader {
  (take: Take, range?: TickRange): Reading;
  /** Place from which a layer's notes are cleared in a take, at `from` or later; Infinity where nowhere. */
  readonly clearedFrom: (take: Take, layer: string, from: Ticks) => Ticks;
}

/** Rounding over changes of tempo: largest distance between a join and the end of a recording there. */
const UNTIL_SLACK: Ticks = 2;

/** Picked range of each take, from its first place in the comp to its last. */
function rangesOf({ comp }: Pick<Part, 'comp'>): Map<string, TickRange> {
  const found = new Map<string, TickRange>();
  for (const { takeId, from, to } of comp) found.set(takeId, { from: found.get(takeId)?.from ?? from, to });
  return found;
}

/**
 * Line before treatments. A note rings on over a join where its own recording had ended, as after a punch-out, and
 * where the same pass follows.
 */
export function readPart(part: Part, read: TakeReader): Reading {
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  const ranges = rangesOf(part);
  // A choice for a join can keep notes from anywhere.
  for (const { before, after } of part.joins) for (const id of [before, after]) ranges.delete(id);
  const takeOf = (takeId: string, range?: TickRange): Reading => {
    const take = takes.get(takeId);
    return take ? read(take, range) : SILENCE;
  };
  const comp = readComp(
    part.comp,
    (takeId) => takeOf(takeId, ranges.get(takeId)),
    (note, range, next) => {
      // A range that moved with its take ends on a whole tick; its recording ends wherever it was moved to.
      if (note.until !== undefined && note.until < range.to + UNTIL_SLACK) return Infinity;
      const following = next && takes.get(next.takeId);
      const layer = layerOfNote(note);
      return following?.layers.includes(layer) ? read.clearedFrom(following, layer, range.to) : range.to;
    },
    (before, after) =>
      part.joins.find((j) => j.at === before.to && j.before === before.takeId && j.after === after.takeId),
  );
  return part.lanes.length > 0 ? withLanes(comp, part.lanes, takeOf) : comp;
}

/** Test for a join that is in the comp. */
export const isJoin = (comp: Part['comp'], { at, before, after }: Pick<Join, 'at' | 'before' | 'after'>): boolean =>
  comp.some((p) => p.to === at && p.takeId === before) && comp.some((p) => p.from === at && p.takeId === after);

/** Cache of takes' readings, with and without hand edits. */
export interface Reader {
  readonly read: TakeReader;
  readonly edited: (take: Take) => Edited;
}

const sameLayers = (a: LayersOf, b: LayersOf): boolean =>
  a.muted === b.muted &&
  a.warps === b.warps &&
  a.windows === b.windows &&
  a.placement === b.placement &&
  a.placements === b.placements;

/** Reading of a take's layers, complete at least in its range. */
interface Unedited {
  readonly of: LayersOf;
  readonly range: TickRange | null;
  readonly reading: Reading;
}

/**
 * Makes a cache of takes' readings for one set of layers and former tempos. A take read in a range is read again when
 * more is needed; hand edits do not read its layers again.
 */
export function readerOf(layers: Layers, clocks: Clocks, transposition = NOT_TRANSPOSED): Reader {
  const known = new WeakMap<Take, Edited>();
  const unedited = new WeakMap<readonly string[], Unedited>();
  const layersOf = (take: Take, range?: TickRange): Reading => {
    const before = unedited.get(take.layers);
    const there = before && sameLayers(before.of, take) ? before : undefined;
    if (there && (there.range === null || (range && isInside(range, there.range)))) return there.reading;
    const part = range && !there ? readRange(take, layers, clocks, transposition, range) : null;
    const reading = part ?? readLayers(take, layers, clocks, transposition);
    unedited.set(take.layers, { of: take, range: part ? range! : null, reading });
    return reading;
  };
  const editedOf = (take: Take): Edited => {
    const there = known.get(take);
    if (there) return there;
    const made = edited(take, clocks, transposition, layersOf(take));
    known.set(take, made);
    return made;
  };
  const read = (take: Take, range?: TickRange): Reading =>
    range && take.edits.length === 0 && !known.has(take) ? layersOf(take, range) : editedOf(take).reading;
  const clears = (take: Take, layer: string, from: Ticks): Ticks =>
    clearedFrom(placedLayers(take, layers, clocks), layer, from);
  return { read: Object.assign(read, { clearedFrom: clears }), edited: editedOf };
}

const isInside = (inner: TickRange, outer: TickRange): boolean => inner.from >= outer.from && inner.to <= outer.to;

/** Reader of a song's takes as they sound now. */
export const songReader = (
  { clocks, transposition, meter }: Pick<SongDocument, 'clocks' | 'transposition' | 'meter'>,
  layers: Layers,
): Reader => readerOf(layers, clocks, transpositionOf(transposition, meterMap(meter)));

/** Reader that reads each take once. */
export const takeReader = (layers: Layers, clocks: Clocks): TakeReader => readerOf(layers, clocks).read;

interface KnownPart {
  readonly of: Pick<Part, 'comp' | 'lanes' | 'joins'>;
  readonly read: TakeReader;
  readonly reading: Reading;
}
const lines = new WeakMap<Part['takes'], KnownPart>();

/** Line before treatments, cached while takes and picks stay, as recipes change quickly. */
export function untreatedLine(part: Part, read: TakeReader): Reading {
  const { comp, lanes, joins } = part;
  const known = lines.get(part.takes);
  if (known?.read === read && known.of.comp === comp && known.of.lanes === lanes && known.of.joins === joins)
    return known.reading;
  const reading = readPart(part, read);
  lines.set(part.takes, { of: { comp, lanes, joins }, read, reading });
  return reading;
}

/** Line as heard, drawn and handed over. @param treatments in place of the part's own, for a preview */
export const lineOf = (
  part: Part,
  read: TakeReader,
  clock: Clock,
  treatments: readonly Treatment[] = part.treatments,
): TreatedReading => treat(untreatedLine(part, read), treatments, clock, decidedOf(part));

/** Decisions about notes as a map. The object changes only when they do. */
export function decidedOf({ decided }: Pick<Part, 'decided'>): Decided {
  const known = decisions.get(decided);
  if (known) return known;
  const made: Decided = new Map(Object.entries(decided));
  decisions.set(decided, made);
  return made;
}
const decisions = new WeakMap<Part['decided'], Decided>();

/** Part as played: without hand edits, treatments and sounding again. */
export const asItWasPlayed = (part: Part): Part => {
  const known = played.get(part);
  if (known) return known;
  const made = {
    ...part,
    treatments: [],
    soundedAgain: [],
    takes: part.takes.map((take) => (take.edits.length > 0 ? { ...take, edits: [] } : take)),
  };
  played.set(part, made);
  return made;
};
/** Cached, so that the takes of a part as played are read once. */
const played = new WeakMap<Part, Part>();
