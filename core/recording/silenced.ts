import type { TickRange, Ticks } from '../time/units';
import type { Note } from '../performance/notes';
import { phrases, type Mode } from './clears';

/**
 * Where a part's line is not heard while it is recorded over: where this pass will have cleared it, as far as is
 * known by now. A phrase that is going on may go on to the end.
 * @param mode of the pass, or of its laps
 * @param recorded what is to be recorded
 * @param notes what the pass has so far; one that is held ends where the pass is
 * @param now where the pass is
 * @param gap how long a rest ends a phrase
 */
export function silencedBy(mode: Mode, recorded: TickRange, notes: readonly Note[], now: Ticks, gap: Ticks): TickRange[] {
  switch (mode) {
    case 'merge': return [];
    case 'new take':
    case 'replace': return [recorded];
    case 'replace from my first note': return notes[0] ? [{ from: notes[0].start, to: recorded.to }] : [];
    case 'replace while I play': {
      const played = phrases(notes, gap);
      const last = played.at(-1);
      return last && now - last.to < gap ? [...played.slice(0, -1), { from: last.from, to: recorded.to }] : played;
    }
  }
}
