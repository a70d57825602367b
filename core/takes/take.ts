import { heldBefore, laneOf, restore, type ControlEvent } from '../performance/controls';
import { byStart, SILENCE, type Note, type Reading } from '../performance/notes';
import type { Placement } from '../placement/place';
import { inRange, type TickRange } from '../time/units';
import { readLayer, type Layer } from './layer';

/**
 * Clears ranges: notes that start in one go, wherever they end; a note that rings into one is cut at its
 * start; controllers in it go, and at its end they hold what they would have held without the clearing.
 */
export function clear(reading: Reading, ranges: readonly TickRange[]): Reading {
  return ranges.reduce((before, range) => {
    if (range.to <= range.from) return before;
    const notes = before.notes
      .filter((note) => !inRange(note.start, range))
      .map((note) => (note.start < range.from && note.end > range.from ? { ...note, end: range.from } : note));
    const early = before.controls.filter((c) => c.at < range.from);
    const late = before.controls.filter((c) => c.at >= range.to);
    const back = restore(heldBefore(early, range.from), heldBefore(before.controls, range.to), range.to);
    return { notes, controls: [...early, ...back, ...late] };
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

/** A take's layers, bottom first, as one reading. */
export function readTake(layers: readonly Layer[], placement: Placement): Reading {
  return layers.reduce(
    (under, layer) => lay(clear(under, layer.closing.clears), readLayer(layer, placement), layer.closing.range),
    SILENCE,
  );
}
