import type { Note } from './notes';
import { inRange, type TickRange, type Ticks } from '../time/units';

/** Distance ahead of a place at which a note can still mean it: half a sixteenth. */
export const MEANT_AHEAD: Ticks = 120;

/**
 * Test for a note a little ahead of a place that means the place: most of it sounds after it. A note of a quick run
 * that ends there does not.
 */
export const meansPlace = ({ start, end }: Pick<Note, 'start' | 'end'>, at: Ticks): boolean =>
  start < at && start >= at - MEANT_AHEAD && end - at > at - start;

/**
 * Test for a note that belongs to a range: by the beat that it means, not by the tick that it falls on.
 * @param goesOn something follows at the range's end, to which a note that means it belongs
 */
export function belongsTo(note: Pick<Note, 'start' | 'end'>, range: TickRange, goesOn: boolean): boolean {
  if (meansPlace(note, range.from)) return true;
  return inRange(note.start, range) && !(goesOn && meansPlace(note, range.to));
}
