import { heldBefore, laneOf, restore, type ControlEvent } from '../performance/controls';
import type { Clearing } from '../recording/clears';
import { byStart, SILENCE, type Note, type Reading } from '../performance/notes';
import type { Placement } from '../placement/place';
import { inRange, type TickRange } from '../time/units';
import { warpRange, type Warp } from '../time/warp';
import { readLayer, type Layer } from './layer';

/**
 * Clears ranges: notes that start in one go, wherever they end; a note that rings into one is cut at its
 * start; controllers in it go, and at its end they hold what they would have held without the clearing.
 * A range with a lane clears that controller alone.
 */
export function clear(reading: Reading, ranges: readonly Clearing[]): Reading {
  return ranges.reduce((before, range) => {
    if (range.to <= range.from) return before;
    const { lane } = range;
    const touched = lane ? before.controls.filter((c) => laneOf(c.message) === lane) : before.controls;
    const early = touched.filter((c) => c.at < range.from);
    const late = touched.filter((c) => c.at >= range.to);
    const back = restore(heldBefore(early, range.from), heldBefore(touched, range.to), range.to);
    const controls = [...early, ...back, ...late];
    if (lane) return { notes: before.notes, controls: inTime(before.controls.filter((c) => laneOf(c.message) !== lane), controls) };
    const notes = before.notes
      .filter((note) => !inRange(note.start, range))
      .map((note) => (note.start < range.from && note.end > range.from ? { ...note, end: range.from } : note));
    return { notes, controls };
  }, reading);
}

/** Sorted by time; the sort is stable, so at one tick `under` comes before `over`. */
const inTime = (under: readonly ControlEvent[], over: readonly ControlEvent[]): ControlEvent[] =>
  [...under, ...over].sort((a, b) => a.at - b.at);

/**
 * Lays one reading over another. Notes sound together; where the upper moved a controller, the lower one's
 * value comes back at the end of the upper's range.
 */
export function lay(under: Reading, over: Reading, range: TickRange): Reading {
  if (under.notes.length === 0 && under.controls.length === 0) return over;
  const notes: Note[] = [...under.notes, ...over.notes].sort(byStart);
  const moved = new Set(over.controls.map((c) => laneOf(c.message)));
  const merged = inTime(under.controls.filter((c) => c.at < range.to), over.controls);
  const only = (held: ReturnType<typeof heldBefore>) => new Map([...held].filter(([lane]) => moved.has(lane)));
  // The upper's own closing events stand at range.to: compare with what holds after them.
  const after = only(heldBefore(merged, Infinity));
  const wanted = only(heldBefore(under.controls, range.to));
  const later = under.controls.filter((c) => c.at >= range.to);
  return { notes, controls: inTime([...merged, ...restore(after, wanted, range.to)], later) };
}

const warpReading = ({ notes, controls }: Reading, warp: Warp): Reading => ({
  notes: notes.map((n) => ({ ...n, start: warp(n.start), end: warp(n.end) })),
  controls: controls.map((c) => ({ ...c, at: warp(c.at) })),
});

/** What a reading says in one stretch of it: the notes that start there, and the controllers, which come and go with it. */
export function windowed({ notes, controls }: Reading, window: TickRange): Reading {
  return {
    notes: notes.filter((n) => inRange(n.start, window)),
    controls: [
      ...restore(new Map(), heldBefore(controls, window.from), window.from),
      ...controls.filter((c) => inRange(c.at, window)),
      ...restore(heldBefore(controls, window.to), new Map(), window.to),
    ],
  };
}

/** A layer as a take has it. */
export interface Placed {
  readonly layer: Layer;
  /** How its song time has been moved since it was recorded. */
  readonly warp?: Warp | undefined;
  /** The stretches in which it lies in this take; everywhere where they are not said. */
  readonly windows?: readonly TickRange[] | undefined;
}

const cutTo = <T extends TickRange>(ranges: readonly T[], window: TickRange): T[] =>
  ranges.map((r) => ({ ...r, from: Math.max(r.from, window.from), to: Math.min(r.to, window.to) })).filter((r) => r.to > r.from);

/** A take's layers, bottom first, as one reading. */
export function readTake(layers: readonly (Layer | Placed)[], placement: Placement): Reading {
  return layers.reduce((under: Reading, given) => {
    const { layer, warp, windows } = 'layer' in given ? given : { layer: given, warp: undefined, windows: undefined };
    const read = readLayer(layer, placement);
    const own = warp ? warpReading(read, warp) : read;
    const moved = <T extends TickRange>(range: T): T => (warp ? warpRange(range, warp) : range);
    const range = moved(layer.closing.range);
    const clears = layer.closing.clears.map(moved);
    if (!windows) return lay(clear(under, clears), own, range);
    return cutTo(windows.map(moved), range).reduce((below, window) => lay(clear(below, cutTo(clears, window)), windowed(own, window), window), under);
  }, SILENCE);
}
