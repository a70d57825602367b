import type { TickRange, Ticks } from '../time/units';
import type { Note } from '../performance/notes';
import { isNote } from '../performance/messages';
import { tickAt, type TempoMap } from '../time/tempo';
import { phrases } from './clears';
import type { Mode } from '../vocabulary/modes';
import type { PassPlan } from './state';
import type { HeardList } from './lap';

/**
 * Ranges of a part's line that are not heard while it is recorded over: where this pass will have cleared it, as far as
 * is known by now. A phrase that is going on may go on to the end.
 * @param mode of the pass, or of its laps
 * @param recorded what is to be recorded
 * @param notes what the pass has so far; one that is held ends where the pass is
 * @param now where the pass is
 * @param gap how long a rest ends a phrase
 */
export function silencedBy(
  mode: Mode,
  recorded: TickRange,
  notes: readonly Note[],
  now: Ticks,
  gap: Ticks,
): TickRange[] {
  switch (mode) {
    case 'merge':
      return [];
    case 'new take':
    case 'replace':
      return [recorded];
    case 'replace from my first note':
      return notes[0] ? [{ from: notes[0].start, to: recorded.to }] : [];
    case 'replace while I play': {
      const played = phrases(notes, gap);
      const last = played.at(-1);
      return last && now - last.to < gap ? [...played.slice(0, -1), { from: last.from, to: recorded.to }] : played;
    }
  }
}

/**
 * Test whether what is played silences the line just now; when it turns, what sounds is to be laid out anew. With
 * "replace while I play" a key is held, or a key moved less than a rest ago; where a pass or a lap replaces from its
 * first note, it has one.
 * @param kept what the pass or the lap has so far
 * @param held a key is down
 * @param now where the pass is
 */
export function silencesNow(
  plan: PassPlan,
  kept: HeardList | null,
  held: boolean,
  now: Ticks,
  tempo: TempoMap,
): boolean {
  const fromFirst = plan.loop ? plan.loop.laps === 'play to overwrite' : plan.mode === 'replace from my first note';
  const whilePlaying = !plan.loop && plan.mode === 'replace while I play';
  if (whilePlaying && held) return true;
  const gap = plan.layers[0]?.gap ?? 0;
  for (let k = kept; k && (fromFirst || whilePlaying); k = k.before) {
    const { at, message } = k.heard;
    if (fromFirst && message.type === 'noteOn') return true;
    if (whilePlaying && isNote(message)) return now - tickAt(tempo, at) < gap;
  }
  return false;
}
