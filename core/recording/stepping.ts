import type { Brief } from '../document/brief';
import type { SongMaps } from '../document/maps';
import { barAt, barStart } from '../time/meter';
import type { Ticks } from '../time/units';
import { USUAL } from '../timing/recipe';
import { LAP_POLICIES, MODES, WAITS, type Span } from '../vocabulary/modes';
import type { BriefControl } from './brief';

/** Early notes to choose from, in ticks: none to a quarter. */
export const EARLY: readonly Ticks[] = [0, 120, 240, 480, 960];
const LONGEST_COUNT = 4;
const LONGEST_LEAD = 16;
/** Over a controller that is ridden there are two ways: it gives way, or is added to. */
const RIDE_MODES = ['replace', 'merge'] as const;

type Way = 1 | -1;
/** The one after or before, round and round; of one that is not among them, the first. */
const round = <T>(all: readonly T[], now: T, by: Way): T => all[(all.indexOf(now) + by + all.length) % all.length]!;
/** The next larger or smaller; at either end it stays. */
const along = (all: readonly number[], now: number, by: Way): number =>
  (by > 0 ? all.find((n) => n > now) : all.findLast((n) => n < now)) ?? now;
const longer = ({ count, unit }: Span, by: Way): Span => ({
  unit,
  count: Math.max(0, Math.min(LONGEST_LEAD, count + by)),
});

/** Mode that comes next or before, round and round: of laps where a loop is on. */
export function steppedMode({ mode, laps, loop, ride }: Brief, by: Way = 1): Partial<Pick<Brief, 'mode' | 'laps'>> {
  if (loop) return { laps: round(LAP_POLICIES, laps, by) };
  return { mode: ride === null ? round(MODES, mode, by) : round(RIDE_MODES, mode === 'merge' ? mode : 'replace', by) };
}

export interface StepFacts {
  readonly brief: Brief;
  readonly maps: SongMaps;
  readonly playhead: Ticks;
  /** Ids of the keyboards that are on. */
  readonly keyboards: readonly string[];
}

/** As many bars as are selected, right after them or right before; with none selected, the bar at the playhead. */
function steppedBars({ brief: { range }, maps: { meter, end }, playhead }: StepFacts, by: Way): Partial<Brief> {
  const first = barAt(meter, range ? range.from : Math.min(playhead, end - 1));
  const count = range ? Math.max(1, barAt(meter, range.to - 1) - first + 1) : 1;
  const last = barAt(meter, end - 1);
  const to = range ? Math.max(1, Math.min(last - count + 1, first + by * count)) : first;
  return { range: { from: barStart(meter, to), to: barStart(meter, to + count) }, punchIn: true, punchOut: true };
}

/**
 * Brief with one of its settings a step on or back, as the arrows do it.
 * @returns null for a setting that has no steps
 */
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
