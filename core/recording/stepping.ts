import type { Brief } from '../document/brief';
import type { SongMaps } from '../document/maps';
import { barAt, barStart } from '../time/meter';
import type { Ticks } from '../time/units';
import { USUAL } from '../timing/recipe';
import { LAP_POLICIES, MODES, WAITS, type Span } from '../vocabulary/modes';
import type { BriefControl } from './brief';

/** Early allowances to step through, from none to a quarter. */
export const EARLY: readonly Ticks[] = [0, 120, 240, 480, 960];
const LONGEST_COUNT = 4;
const LONGEST_LEAD = 16;
/** Recording modes for a ridden controller: its old movements are replaced, or kept. */
const RIDE_MODES = ['replace', 'merge'] as const;

type Way = 1 | -1;
/** Next or previous value, in a circle; the first for a value that is not in the list. */
const round = <T>(all: readonly T[], now: T, by: Way): T => all[(all.indexOf(now) + by + all.length) % all.length]!;
/** Next larger or smaller value, up to either end. */
const along = (all: readonly number[], now: number, by: Way): number =>
  (by > 0 ? all.find((n) => n > now) : all.findLast((n) => n < now)) ?? now;
const longer = ({ count, unit }: Span, by: Way): Span => ({
  unit,
  count: Math.max(0, Math.min(LONGEST_LEAD, count + by)),
});

/** Next or previous mode, in a circle; of laps where a loop is on. */
export function steppedMode({ mode, laps, loop, ride }: Brief, by: Way = 1): Partial<Pick<Brief, 'mode' | 'laps'>> {
  if (loop) return { laps: round(LAP_POLICIES, laps, by) };
  return { mode: ride === null ? round(MODES, mode, by) : round(RIDE_MODES, mode === 'merge' ? mode : 'replace', by) };
}

export interface StepFacts {
  readonly brief: Brief;
  readonly maps: SongMaps;
  readonly playhead: Ticks;
  /** Ids of the keyboards that are switched on. */
  readonly keyboards: readonly string[];
}

/** As many bars as are selected, right after or before them; the bar at the playhead where none are. */
function steppedBars({ brief: { range }, maps: { meter, end }, playhead }: StepFacts, by: Way): Partial<Brief> {
  const first = barAt(meter, range ? range.from : Math.min(playhead, end - 1));
  const count = range ? Math.max(1, barAt(meter, range.to - 1) - first + 1) : 1;
  const last = barAt(meter, end - 1);
  const to = range ? Math.max(1, Math.min(last - count + 1, first + by * count)) : first;
  return { range: { from: barStart(meter, to), to: barStart(meter, to + count) }, punchIn: true, punchOut: true };
}

/** Brief with one setting a step on or back, as the arrow keys do it. @returns null for a setting without steps */
export function steppedBrief(control: BriefControl, by: Way, facts: StepFacts): Partial<Brief> | null {
  const { brief } = facts;
  switch (control) {
    case 'count':
      return { countOffBeats: null, countOffBars: Math.max(0, Math.min(LONGEST_COUNT, brief.countOffBars + by)) };
    case 'wait':
      return { wait: round(WAITS, brief.wait, by) };
    case 'lead-in':
      return { leadIn: longer(brief.leadIn, by), leadInOn: true };
    case 'lead-out':
      return { leadOut: longer(brief.leadOut, by) };
    case 'early':
      return { early: along(EARLY, brief.early, by) };
    case 'mode':
    case 'laps':
      return steppedMode(brief, by);
    case 'where':
      return steppedBars(facts, by);
    case 'keyboard':
      return { keyboard: round([null, ...facts.keyboards], brief.keyboard, by) };
    case 'quantize':
      return { quantize: brief.quantize ? null : USUAL };
    default:
      return null;
  }
}
