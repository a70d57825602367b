import type { Part } from '../document/part';
import type { MeterMap } from '../time/meter';
import { rangeWords } from '../time/words';
import type { TickRange } from '../time/units';
import type { JoinState } from './joins';

/** Take that is heard in a part of the range. */
export interface Heard extends TickRange {
  /** Null where nothing is heard. */
  readonly takeId: string | null;
}

/** Picked takes of a range, in order, with gaps. */
export function heardIn({ comp }: Pick<Part, 'comp'>, range: TickRange): Heard[] {
  const heard: Heard[] = [];
  let from = range.from;
  for (const p of comp) {
    if (p.to <= range.from || p.from >= range.to) continue;
    const [start, end] = [Math.max(p.from, range.from), Math.min(p.to, range.to)];
    if (start > from) heard.push({ from, to: start, takeId: null });
    const last = heard.at(-1);
    if (last?.takeId === p.takeId && last.to === start) heard[heard.length - 1] = { ...last, to: end };
    else heard.push({ from: start, to: end, takeId: p.takeId });
    from = end;
  }
  if (from < range.to) heard.push({ from, to: range.to, takeId: null });
  return heard;
}

/** Words before the take, such as "bars 17–18 from"; or the sentence for a gap. */
export const heardWords = ({ from, to, takeId }: Heard, meter: MeterMap): string =>
  takeId === null
    ? `${rangeWords({ from, to }, meter)} with nothing picked`
    : `${rangeWords({ from, to }, meter)} from`;

const COUNT = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
const counted = (n: number): string => COUNT[n] ?? String(n);

/** "both joins are clean", "one of three joins wants a look". */
export function joinsWords(joins: readonly JoinState[]): string {
  const open = joins.filter((j) => j.state === 'open').length;
  const mended = joins.filter((j) => j.state === 'mended').length;
  const many = joins.length;
  if (many === 0) return 'no joins';
  if (open > 0) {
    if (many === 1) return 'its join wants a look';
    return `${counted(open)} of ${counted(many)} joins ${open === 1 ? 'wants' : 'want'} a look`;
  }
  const all = many === 2 ? 'both joins are' : `all ${counted(many)} joins are`;
  const which = many === 1 ? 'its join is' : all;
  return `${which} ${mended > 0 ? 'clean or mended' : 'clean'}`;
}
