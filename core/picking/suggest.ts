import type { Mark } from '../document/take';
import { keyName } from '../performance/messages';
import { atPlaces, isClean, type AtPlace } from '../takes/join';
import type { Pick } from '../takes/line';
import { barStart, meterAt, positionAt, type MeterMap } from '../time/meter';
import type { TickRange, Ticks } from '../time/units';
import { FEWEST_TAKES, type Comparison, type Slip } from './compare';
import type { ReadTake } from './slots';

/** Range of a suggested comp, its take, and the reason. */
export interface Suggested extends Pick {
  readonly why: Why;
}

/** Reason for a take: what the best other take has wrong. */
export type Why =
  | { readonly type: 'only' }
  | { readonly type: 'slip'; readonly other: string; readonly slip: Slip; readonly more: number }
  | { readonly type: 'steadier'; readonly other: string; readonly spread: number; readonly others: number }
  | { readonly type: 'marked'; readonly other: string }
  | { readonly type: 'fewest joins' };

/** Costs of a path: slips, marks, joins that cut, other joins, loose timing. */
const SLIP = 10;
const OFF_TIME = 3;
const MOST_OFF_TIME = 8;
const PEDAL = 5;
const MARKS: Readonly<Record<Mark, number>> = { good: -4, maybe: 0, no: 60 };
const OTHER_WAY = 0.5;
/** Cost of a bar that one take plays its own way, between a slip and a common variation. */
const ALONE = 6;
/** Lateness in milliseconds beyond which a take plays something else there. */
const FAR_OFF = 150;
const PARTLY = 30;
const JOIN = 2;
const UNCLEAN = 25;
const HALF_BEAT_OFF = 0.3;
const SPREAD = 0.04;

interface Place {
  readonly at: Ticks;
  readonly cost: number;
}

/** Cost of each bar with each take; Infinity where it has nothing. */
function barCosts(
  takes: readonly ReadTake[],
  comparison: Comparison,
  marks: ReadonlyMap<string, Mark>,
  bars: number,
  meter: MeterMap,
): number[][] {
  return takes.map((take) => {
    const mark = marks.get(take.id);
    const marked = mark ? MARKS[mark] : 0;
    return Array.from({ length: bars }, (_, i) => {
      const [from, to] = [barStart(meter, i + 1), barStart(meter, i + 2)];
      if (take.to <= from || take.from >= to) return Infinity;
      const facts = comparison.bars.get(take.id)?.get(i + 1);
      const off = offCost(comparison.lags.get(take.id) ?? 0);
      if (!facts) return PARTLY + marked + off;
      const own = facts.alone ? ALONE : 0;
      const way = facts.variation && !facts.alone ? OTHER_WAY : 0;
      return marked + off + slipCost(facts.slips) + SPREAD * (facts.spread ?? 0) + way + own;
    });
  });
}

/** Cost of a bar of a take that is off as a whole: by a beat, it plays something else there. */
const offCost = (ms: number): number =>
  (Math.abs(ms) > FAR_OFF ? SLIP : 0) + Math.min(MOST_OFF_TIME, Math.abs(ms) / 15);

function slipCost(slips: readonly Slip[]): number {
  let [wrong, off] = [0, 0];
  for (const { kind, whole } of slips) {
    // The lag of the whole take counts in each bar.
    if (whole) continue;
    if (kind === 'early' || kind === 'late' || kind === 'softer' || kind === 'louder') off += OFF_TIME;
    else wrong += kind === 'pedal' ? PEDAL : SLIP;
  }
  return wrong + Math.min(off, MOST_OFF_TIME);
}

/** Places around a bar line where takes may meet: half beats, up to half a bar away. */
function placesAt(bar: number, meter: MeterMap): Ticks[] {
  const line = barStart(meter, bar);
  const { ticksPerBeat, ticksPerBar } = meterAt(meter, line);
  const steps = Math.floor(ticksPerBar / ticksPerBeat);
  return Array.from({ length: 2 * steps + 1 }, (_, i) => line + ((i - steps) * ticksPerBeat) / 2);
}

/**
 * Suggests a comp: the fewest slips, the steadiest time and the fewest joins, and joins only where they cut nothing if
 * there is such a place. A shortest way through the bars, by dynamic programming (R. Bellman, 1957).
 * @param given in any order: the outcome is the same
 * @param bars how many the song has
 * @returns ranges in time order; bars that no take has are left out
 */
export function suggestComp(
  given: readonly ReadTake[],
  comparison: Comparison,
  marks: ReadonlyMap<string, Mark>,
  bars: number,
  meter: MeterMap,
): Suggested[] {
  const takes = [...given].sort((a, b) => (a.id < b.id ? -1 : 1));
  const costs = barCosts(takes, comparison, marks, bars, meter);
  const lines = Array.from({ length: Math.max(0, bars - 1) }, (_, i) => placesAt(i + 2, meter));
  const facts = takes.map((take) => {
    const all = lines.flat();
    const order = all.map((_, i) => i).sort((a, b) => all[a]! - all[b]!);
    const found = atPlaces(
      take,
      order.map((i) => all[i]!),
    );
    const byPlace: AtPlace[] = [];
    order.forEach((i, n) => {
      byPlace[i] = found[n]!;
    });
    return byPlace;
  });
  const slipsOf = takes.map((take) => {
    const all: Slip[] = [];
    for (const facts of comparison.bars.get(take.id)?.values() ?? []) all.push(...facts.slips);
    return all.sort((a, b) => a.at - b.at);
  });
  const slipsBetween = (take: number, from: Ticks, to: Ticks): number =>
    slipCost(slipsOf[take]!.filter((s) => s.kind !== 'pedal' && s.at >= from && s.at < to));
  const offsets: number[] = [];
  lines.reduce((sum, line) => {
    offsets.push(sum);
    return sum + line.length;
  }, 0);

  /** Best place for changing takes around a bar line. */
  function meet(line: number, before: number, after: number): Place {
    const places = lines[line]!;
    const barLine = places[places.length >> 1]!;
    let best: Place = { at: barLine, cost: Infinity };
    places.forEach((at, i) => {
      const away = Math.abs(i - (places.length >> 1)) * HALF_BEAT_OFF;
      if (away >= best.cost) return;
      const covered = at >= takes[after]!.from && at <= takes[before]!.to;
      if (!covered) return;
      const [a, b] = [facts[before]![offsets[line]! + i]!, facts[after]![offsets[line]! + i]!];
      const cut = isClean(a, b, at) ? 0 : UNCLEAN + 2 * (a.held.length + b.held.length);
      const moved = at < barLine ? slipsBetween(after, at, barLine) : slipsBetween(before, barLine, at);
      const cost = JOIN + away + cut + moved;
      if (cost < best.cost) best = { at, cost };
    });
    if (best.cost < Infinity) return best;
    // Without such a place they meet where one ends, or with a gap between.
    const [begins, ends] = [takes[after]!.from, takes[before]!.to];
    const at = begins <= ends ? Math.min(Math.max(barLine, begins), ends) : begins;
    return { at, cost: JOIN + UNCLEAN };
  }

  interface Step {
    readonly cost: number;
    readonly from: number;
    readonly at: Ticks;
  }
  const ways: Step[][] = [takes.map((_, t) => ({ cost: costs[t]![0] ?? Infinity, from: t, at: 0 }))];
  for (let bar = 1; bar < bars; bar += 1) {
    const before = ways[bar - 1]!;
    // No take has this bar: a new path begins after it.
    const least = Math.min(...before.map((s) => s.cost));
    ways.push(
      takes.map((_, t): Step => {
        const own = costs[t]![bar]!;
        if (!Number.isFinite(own)) return { cost: Infinity, from: t, at: barStart(meter, bar + 1) };
        if (!Number.isFinite(least)) return { cost: own, from: t, at: barStart(meter, bar + 1) };
        let best: Step = { cost: before[t]!.cost + own, from: t, at: 0 };
        for (let other = 0; other < takes.length; other += 1) {
          const so = before[other]!.cost + own + JOIN;
          if (other === t || so >= best.cost) continue;
          const { at, cost } = meet(bar - 1, other, t);
          if (before[other]!.cost + own + cost < best.cost)
            best = { cost: before[other]!.cost + own + cost, from: other, at };
        }
        return best;
      }),
    );
  }
  const ranges: { from: Ticks; to: Ticks; take: number }[] = [];
  let take = -1;
  let to = barStart(meter, bars + 1);
  for (let bar = bars - 1; bar >= 0; bar -= 1) {
    const row = ways[bar]!;
    if (take < 0 || !Number.isFinite(row[take]!.cost)) {
      if (take >= 0) ranges.push({ from: barStart(meter, bar + 2), to, take });
      take = row.reduce((best, { cost }, t) => (cost < (row[best]?.cost ?? Infinity) ? t : best), -1);
      to = barStart(meter, bar + 2);
      if (take < 0) continue;
    }
    const { from, at } = row[take]!;
    const begins = bar === 0 || ways[bar - 1]!.every((s) => !Number.isFinite(s.cost));
    if (begins) {
      ranges.push({ from: barStart(meter, bar + 1), to, take });
      take = -1;
    } else if (from !== take) {
      ranges.push({ from: at, to, take });
      take = from;
      to = at;
    }
  }
  return ranges
    .reverse()
    .map(({ from, to: end, take: t }) => ({
      from: Math.max(from, takes[t]!.from),
      to: Math.min(end, takes[t]!.to),
      takeId: takes[t]!.id,
      by: 'suggestion' as const,
    }))
    .filter((s) => s.to > s.from)
    .map((s) => ({ ...s, why: whyOf(s, takes, comparison, marks, meter) }));
}

/** Reason for a take in a range: what the next best take has wrong there. */
export function whyOf(
  range: Pick,
  takes: readonly (TickRange & { readonly id: string })[],
  comparison: Comparison,
  marks: ReadonlyMap<string, Mark>,
  meter: MeterMap,
): Why {
  const others = takes.filter((t) => t.id !== range.takeId && t.from < range.to && t.to > range.from);
  if (others.length === 0) return { type: 'only' };
  const factsIn = (id: string) => {
    const slips: Slip[] = [];
    const spreads: number[] = [];
    for (const [bar, facts] of comparison.bars.get(id) ?? []) {
      if (barStart(meter, bar) >= range.to || barStart(meter, bar + 1) <= range.from) continue;
      slips.push(...facts.slips.filter((s) => s.at >= range.from - 240 && s.at < range.to));
      if (facts.spread !== null) spreads.push(facts.spread);
    }
    const spread = spreads.length ? spreads.reduce((a, b) => a + b, 0) / spreads.length : null;
    return { id, slips, spread };
  };
  const all = others.map((t) => factsIn(t.id)).sort((a, b) => slipCost(a.slips) - slipCost(b.slips));
  const own = factsIn(range.takeId);
  const [next] = all as [(typeof all)[number]];
  const worse = slipCost(next.slips) > slipCost(own.slips);
  const weighty = next.slips.find((s) => !['early', 'late', 'softer', 'louder'].includes(s.kind));
  const slip = weighty ?? next.slips[0];
  if (worse && slip) return { type: 'slip', other: next.id, slip, more: next.slips.length - 1 };
  if (marks.get(range.takeId) === 'good' && marks.get(next.id) !== 'good') return { type: 'marked', other: next.id };
  if (own.spread !== null && next.spread !== null && next.spread - own.spread > 2)
    return { type: 'steadier', other: next.id, spread: own.spread, others: next.spread };
  return { type: 'fewest joins' };
}

/** Words for a slip, such as "a D4 too many in 21 · 3". */
export function slipWords({ kind, key, meant, at, ms, bar, whole, by }: Slip, meter: MeterMap): string {
  if (whole) return `${Math.round(ms ?? 0)} ms ${kind} throughout`;
  const { bar: inBar, beat } = positionAt(meter, Math.max(0, at));
  const place = `in ${inBar} · ${beat}`;
  const name = keyName(key ?? 0);
  switch (kind) {
    case 'missing':
      return `no ${name} ${place}`;
    case 'extra':
      return `a ${name} too many ${place}`;
    case 'wrong':
      return `${name} for ${keyName(meant ?? 0)} ${place}`;
    case 'early':
    case 'late':
      return `${name} ${Math.round(ms ?? 0)} ms ${kind} ${place}`;
    case 'pedal':
      return `another pedal in bar ${bar}`;
    case 'softer':
    case 'louder':
      return `bar ${bar} ${kind} than all others by ${by ?? 0}`;
  }
}

/** Words for the reason of a suggestion. @param numberOf number of a take */
export function whyWords(why: Why, numberOf: (takeId: string) => string, meter: MeterMap): string {
  switch (why.type) {
    case 'only':
      return 'no other take has anything here';
    case 'slip': {
      const more = why.more > 0 ? `, and ${why.more} more` : '';
      return `take ${numberOf(why.other)} has ${slipWords(why.slip, meter)}${more}`;
    }
    case 'steadier': {
      const [own, other] = [why.spread, why.others].map(Math.round);
      return `steadier: ±${own} ms, take ${numberOf(why.other)} ±${other} ms`;
    }
    case 'marked':
      return `you marked it good`;
    case 'fewest joins':
      return 'as good as the others, with fewer joins';
  }
}

/** Test whether there are enough takes anywhere for a suggestion. */
export const isWorthSuggesting = (takes: readonly { readonly from: Ticks; readonly to: Ticks }[]): boolean =>
  takes.some((t) => takes.filter((o) => o.from < t.to && o.to > t.from).length >= FEWEST_TAKES);
