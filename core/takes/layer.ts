import type { KeyMessage } from '../performance/messages';
import { byStart, controlsFromEvents, notesFromEvents, type PlacedEvent, type Reading } from '../performance/notes';
import { heldBefore, laneOf, restore, type Lane } from '../performance/controls';
import type { Clearing } from '../recording/clears';
import type { LapPolicy } from '../recording/settings';
import { shiftOf, type Latency, type Placement } from '../placement/place';
import type { Recipe } from '../timing/treatment';
import { tempoMap, tickAt, type TempoChange } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';

/** An event as it arrived. */
export interface LayerEvent {
  /** On the song's render clock, before any placement. */
  readonly at: Seconds;
  readonly message: KeyMessage;
}

/** What is known when a layer is opened. */
export interface LayerHeader {
  readonly id: string;
  readonly partId: string;
  readonly passId: string;
  readonly takeId: string;
  readonly source: 'pass' | 'file';
  /** The keyboard or file it came from, for people. */
  readonly from: string;
  /** ISO 8601. */
  readonly startedAt: string;
  /** The tempo the arrival times were counted in; without it they could not be placed again. */
  readonly tempo: readonly TempoChange[];
  readonly latency: Latency;
  /** How fast the song ran, 1 as written: a latency of the room is a shorter stretch of a song that runs slower. */
  readonly speed?: number;
  readonly placement: Placement;
  /** What the pass was to record, were it not stopped before its end. */
  readonly planned: TickRange;
  /** How far ahead of the range a strike still belongs to it. */
  readonly early: Ticks;
  /** The treatment that the brief switched on, or null. */
  readonly quantize: Recipe | null;
  /** How long a rest ended a phrase; a quarter where it is not said. */
  readonly gap?: Ticks;
  /** What the laps of its loop do, and which lap this is, from 0; not there without a loop. */
  readonly laps?: LapPolicy;
  readonly lap?: number;
  /** The one controller that was recorded; not there where everything was. */
  readonly ride?: Lane;
}

/** What is known when it is closed. */
export interface LayerClosing {
  /** What was recorded. Empty (`from` = `to`) when the pass was stopped before it began. */
  readonly range: TickRange;
  /** What the layer clears beneath it. */
  readonly clears: readonly Clearing[];
  /** How far notes that were held at the range's end may ring; the range's end where it is not said. */
  readonly rings?: Ticks;
  /** Of a lap: whether it came out of the lap before it, and whether it ran on into another. */
  readonly seam?: { readonly start: boolean; readonly end: boolean };
}

/** Immutable once closed. Events outside the range are kept too, and not read. */
export interface Layer {
  readonly header: LayerHeader;
  readonly closing: LayerClosing;
  readonly events: readonly LayerEvent[];
}

/** Arrival times to song time, under a placement. The order of arrival is kept where stamps tie. */
export function placeEvents(header: LayerHeader, events: readonly LayerEvent[], placement: Placement): PlacedEvent[] {
  const map = tempoMap(header.tempo);
  const shift = shiftOf(placement, header.latency) * (header.speed ?? 1);
  return events
    .map(({ at, message }) => ({ at: tickAt(map, at + shift), message }))
    .sort((a, b) => a.at - b.at);
}

/** Two laps see one strike at times that differ by rounding; both must say the same of it. */
const HAIR: Ticks = 1e-4;

/**
 * What the layer says inside its range. A strike within the early allowance sounds from the range's start;
 * a note still held at the range's end is closed there, or at the end of the lead-out; so are sustain and every
 * other controller. At the seam of a loop, a note struck within the allowance and held across belongs to the lap
 * that begins; one that was let go before the seam, or struck earlier, to the lap that ends.
 */
export function readLayer(layer: Layer, placement: Placement): Reading {
  const { header, closing: { range, rings = range.to, seam }, events } = layer;
  if (range.to <= range.from) return { notes: [], controls: [] };
  const placed = placeEvents(header, events, placement);
  const ahead = range.from - header.early - HAIR;
  const nextLap = range.to - header.early - HAIR;
  const isOwn = ({ start, end }: { start: Ticks; end: Ticks }): boolean => {
    if (start < ahead || start >= range.to) return false;
    if (seam?.start && start < range.from && end <= range.from + HAIR) return false;
    return !(seam?.end && start >= Math.max(nextLap, range.from) && end > range.to + HAIR);
  };
  const notes = header.ride ? [] : notesFromEvents(placed, Math.max(rings, range.to + 1), header.id)
    .filter(isOwn)
    .map((note) => (note.start >= range.from && note.end <= rings ? note : {
      ...note,
      start: Math.max(note.start, range.from),
      end: Math.min(Math.max(note.end, range.from), rings),
    }))
    // Early strikes now start together, whatever the order they came in.
    .sort(byStart);
  const all = controlsFromEvents(placed).filter((c) => !header.ride || laneOf(c.message) === header.ride);
  const within = all.filter((c) => c.at >= range.from && c.at < range.to);
  return {
    notes,
    controls: [
      ...restore(new Map(), heldBefore(all, range.from), range.from),
      ...within,
      ...restore(heldBefore(all, range.to), new Map(), range.to),
    ],
  };
}
