import { isNote, type KeyMessage } from '../performance/messages';
import { notesByStart, Pairing, type NoteInTheMaking, type PlacedEvent, type Reading } from '../performance/notes';
import { valuesBefore, laneOf, restore, restoreBefore, type ControlEvent, type Lane } from '../performance/controls';
import type { Transposition } from '../performance/transposition';
import type { Clearing } from './clearing';
import type { LapPolicy } from '../vocabulary/modes';
import { shiftOf, type Latency, type Placement } from '../placement/place';
import type { Recipe } from '../timing/recipe';
import { eachEvent, eachEventFor } from './packed';
import { secondsAt, tempoMap, tickAt, type TempoChange, type TempoMap } from '../time/tempo';
import { TICK_TOLERANCE, type Seconds, type TickRange, type Ticks } from '../time/units';
import type { TempoWarp } from '../time/tempoWarp';

/** Source of layers that look-back has kept. */
export const KEPT_FROM = 'Look-back';

/** Recorded event. */
export interface LayerEvent {
  /** Time on the song's render clock, before placement. */
  readonly at: Seconds;
  readonly message: KeyMessage;
}

/** Header of a layer, known when it is opened. */
export interface LayerHeader {
  readonly id: string;
  readonly partId: string;
  readonly passId: string;
  readonly takeId: string;
  /** A copy is what was made of other takes. */
  readonly source: 'pass' | 'file' | 'copy';
  /** Name of the keyboard or file it came from. */
  readonly from: string;
  /** ISO 8601. */
  readonly startedAt: string;
  /** Tempo in which the arrival times were counted, needed for placing them again. */
  readonly tempo: readonly TempoChange[];
  readonly latency: Latency;
  /** Practice speed, 1 as written: at a lower speed a latency is a shorter range of the song. */
  readonly speed?: number;
  /** Transposition that was in force, on the layer's own ticks; undefined for none. */
  readonly transposition?: Transposition;
  readonly placement: Placement;
  /** Planned range of the pass. */
  readonly planned: TickRange;
  /** Early allowance. */
  readonly early: Ticks;
  /** Treatment of the brief, or null. */
  readonly quantize: Recipe | null;
  /** Rest that ended a phrase; a quarter where undefined. */
  readonly gap?: Ticks;
  /** Lap policy and number of the lap, from 0; undefined without a loop. */
  readonly laps?: LapPolicy;
  readonly lap?: number;
  /** Lane of the ridden controller; undefined where everything was recorded. */
  readonly ride?: Lane;
  /** Sound of an outside instrument, recorded beside the keys. */
  readonly sound?: LayerSound;
}

/** Facts in a layer's header about the sound that was recorded beside its keys. */
export interface LayerSound {
  readonly recording: string;
  /** Input latency: time from a sound to the frame that it is recorded as. */
  readonly input: Seconds;
  /** Offset of the layer's clock to the rolling clock; a later lap's differs from the first one's. */
  readonly frame: Seconds;
}

/** Facts of a layer, known when it is closed. */
export interface LayerClosing {
  /** Recorded range. Empty (`from` = `to`) for a pass that was stopped before it began. */
  readonly range: TickRange;
  /** Ranges that are cleared in the layers beneath. */
  readonly clears: readonly Clearing[];
  /** End of ringing for notes held at the range's end; the range's end where undefined. */
  readonly rings?: Ticks;
  /** Lap boundaries: true at an end that continues another lap. */
  readonly seam?: { readonly start: boolean; readonly end: boolean };
  /** True where the player stopped it there: notes made before the stop are in, wherever placement puts them. */
  readonly stopped?: boolean;
}

/** Immutable once closed. Events outside the range are kept too, and not read. */
export interface Layer {
  readonly header: LayerHeader;
  readonly closing: LayerClosing;
  readonly events: readonly LayerEvent[];
}

/**
 * Clock of a layer: the place in the song of something that arrived at a time, under a placement, and the inverse of
 * that.
 */
interface LayerClock {
  readonly tickOf: (seconds: Seconds) => Ticks;
  readonly secondsOf: (tick: Ticks) => Seconds;
}
function clockOf({ header }: Pick<Layer, 'header'>, placement: Placement): LayerClock {
  const { tempo, latency, speed = 1 } = header;
  const map = tempoMap(tempo);
  const shift = shiftOf(placement, latency) * speed;
  return {
    tickOf: (seconds) => tickAt(map, seconds + shift),
    secondsOf: (tick) => secondsAt(map, tick) - shift,
  };
}

/** Arrival times to song time, under a placement. The order of arrival is kept where stamps tie. */
export function placeEvents(layer: Pick<Layer, 'header' | 'events'>, placement: Placement): PlacedEvent[] {
  const { tickOf } = clockOf(layer, placement);
  const placed: PlacedEvent[] = [];
  eachEvent(layer, (seconds, message) => placed.push({ at: tickOf(seconds), message }));
  return placed.sort((a, b) => a.at - b.at);
}

/** A layer's notes, which nobody else has, and its controllers, where they were played. */
interface Played {
  readonly notes: readonly NoteInTheMaking[];
  readonly controls: readonly ControlEvent[];
}

/**
 * Events played in a layer: as it comes, where it came in order, without anything made of the events in between.
 * @param range notes that begin elsewhere may be left out
 */
function playedIn(layer: Layer, placement: Placement, closeAt: Ticks, range: TickRange): Played {
  const { tickOf, secondsOf } = clockOf(layer, placement);
  const from = range.from === -Infinity ? -Infinity : secondsOf(range.from);
  const to = range.to === Infinity ? Infinity : secondsOf(range.to);
  let pairing = new Pairing(closeAt, layer.header.id);
  let controls: ControlEvent[] = [];
  const add = (at: Ticks, message: KeyMessage, ordinal?: number): void => {
    if (isNote(message)) pairing.add(at, message, ordinal);
    else controls.push({ at, message } as ControlEvent);
  };
  const inOrder = eachEventFor(layer, { from, to }, (seconds, message, ordinal) => {
    add(tickOf(seconds), message, ordinal);
  });
  if (!inOrder) {
    pairing = new Pairing(closeAt, layer.header.id);
    controls = [];
    for (const { at, message } of placeEvents(layer, placement)) add(at, message);
  }
  return { notes: pairing.notes(), controls };
}

const EVERYWHERE: TickRange = { from: -Infinity, to: Infinity };

/**
 * The place from which on a note is early for what follows a lap boundary, seen from before it. Before the lap boundary
 * of a loop lies the end of the loop, whichever of the two laps asks: the allowance is measured in the tempo there.
 */
function aheadOf({ header: { planned, early }, closing: { range, seam } }: Layer, tempo: TempoMap): Ticks {
  if (!seam?.start) return range.from - early - TICK_TOLERANCE;
  const allowed = secondsAt(tempo, planned.to) - secondsAt(tempo, planned.to - early - TICK_TOLERANCE);
  return tickAt(tempo, secondsAt(tempo, range.from) - allowed);
}

/**
 * Reading of a layer inside its range. A note within the early allowance sounds from the range's start, as long as it
 * was played if it was let go before that; a note still held at the range's end is closed there, or at the end of the
 * lead-out; so are sustain and every other controller. At the lap boundary, a note struck within the
 * allowance and held across belongs to the lap that begins; one that was let go before the lap boundary, or struck
 * earlier, to the lap that ends.
 * @param warp how its song time has moved since it was recorded
 * @param asked on the layer's ticks as they were recorded: notes that begin elsewhere may be left out
 */
export function readLayer(layer: Layer, placement: Placement, warp?: TempoWarp, asked = EVERYWHERE): Reading {
  const {
    header,
    closing: { range, rings = range.to, seam, stopped },
  } = layer;
  if (range.to <= range.from) return { notes: [], controls: [] };
  const tempo = tempoMap(header.tempo);
  // Notes beside the range sound from its start, or from a tick before its end.
  const played = playedIn(layer, placement, Math.max(rings, range.to + 1), {
    from: asked.from <= range.from ? -Infinity : asked.from,
    to: asked.to >= range.to - 1 ? Infinity : asked.to,
  });
  const ahead = aheadOf(layer, tempo);
  const nextLap = range.to - header.early - TICK_TOLERANCE;
  // Notes made before the player's Stop can be placed after it.
  const last = stopped
    ? Math.max(
        range.to,
        tickAt(tempo, secondsAt(tempo, range.to) + shiftOf(placement, header.latency) * (header.speed ?? 1)),
      )
    : range.to;
  const isOwn = ({ start, end }: { start: Ticks; end: Ticks }): boolean => {
    if (start < ahead || start >= last) return false;
    if (seam?.start && start < range.from && end <= range.from + TICK_TOLERANCE) return false;
    return !(seam?.end && start >= Math.max(nextLap, range.from - TICK_TOLERANCE) && end > range.to + TICK_TOLERANCE);
  };
  const within = (note: NoteInTheMaking): NoteInTheMaking => {
    if (note.start >= range.from && note.start < range.to && note.end <= range.to) return note;
    const start = Math.min(Math.max(note.start, range.from), range.to - 1);
    const length = note.end - note.start;
    const end = Math.min(
      note.end <= range.from ? start + length : Math.max(note.end, start),
      Math.max(rings, start + 1),
    );
    return { ...note, start, end, ...(end > range.to ? { until: range.to } : {}) };
  };
  // Early notes now start together, whatever the order they came in.
  const notes = header.ride ? [] : notesByStart(played.notes.filter(isOwn).map(within));
  const all = played.controls.filter((c) => !header.ride || laneOf(c.message) === header.ride);
  const inside = all.filter((c) => c.at >= range.from && c.at < range.to);
  const controls = [
    ...restoreBefore(new Map(), valuesBefore(all, range.from), range.from, inside),
    ...inside,
    ...restore(valuesBefore(all, range.to), new Map(), range.to),
  ];
  if (!warp) return { notes, controls };
  for (const note of notes) move(note, warp);
  return { notes, controls: controls.map((c) => ({ ...c, at: warp(c.at) })) };
}

function move(note: NoteInTheMaking, warp: TempoWarp): void {
  note.start = warp(note.start);
  note.end = warp(note.end);
  if (note.until !== undefined) note.until = warp(note.until);
}
