import type { KeyMessage } from '../performance/messages';
import { byStart, controlsFromEvents, notesFromEvents, type PlacedEvent, type Reading } from '../performance/notes';
import { heldBefore, restore } from '../performance/controls';
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
  readonly placement: Placement;
  /** What the pass was to record, were it not stopped before its end. */
  readonly planned: TickRange;
  /** How far ahead of the range a strike still belongs to it. */
  readonly early: Ticks;
  /** The treatment that the brief switched on, or null. */
  readonly quantize: Recipe | null;
}

/** What is known when it is closed. */
export interface LayerClosing {
  /** What was recorded. Empty (`from` = `to`) when the pass was stopped before it began. */
  readonly range: TickRange;
  /** What the layer clears beneath it. */
  readonly clears: readonly TickRange[];
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
  const shift = shiftOf(placement, header.latency);
  return events
    .map(({ at, message }) => ({ at: tickAt(map, at + shift), message }))
    .sort((a, b) => a.at - b.at);
}

/**
 * What the layer says inside its range. A strike within the early allowance sounds from the range's start;
 * a note still held at the range's end is closed there; so are sustain and every other controller.
 */
export function readLayer(layer: Layer, placement: Placement): Reading {
  const { header, closing: { range }, events } = layer;
  if (range.to <= range.from) return { notes: [], controls: [] };
  const placed = placeEvents(header, events, placement);
  const notes = notesFromEvents(placed, range.to, header.id)
    .filter((note) => note.start >= range.from - header.early && note.start < range.to)
    .map((note) => (note.start >= range.from && note.end <= range.to ? note : {
      ...note,
      start: Math.max(note.start, range.from),
      end: Math.min(Math.max(note.end, range.from), range.to),
    }))
    // Early strikes now start together, whatever the order they came in.
    .sort(byStart);
  const all = controlsFromEvents(placed);
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
