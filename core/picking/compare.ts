import { median } from '../numbers';
import { SUSTAIN } from '../performance/messages';
import { barAt, barStart, type MeterMap } from '../time/meter';
import { secondsAt, tickAt, type TempoMap } from '../time/tempo';
import type { Milliseconds, Ticks } from '../time/units';
import { alignTakes, type ReadTake, type Slot, type Struck } from './slots';
import { withoutLag, wholeLags } from './wholeLag';

/** Slip: something in a take that was not meant, by the other takes. */
export interface Slip {
  readonly kind: 'missing' | 'extra' | 'wrong' | 'early' | 'late' | 'pedal' | 'softer' | 'louder';
  readonly bar: number;
  readonly at: Ticks;
  /** Key that was played or is missing; undefined for the pedal. */
  readonly key?: number;
  /** Intended key of a wrong note. */
  readonly meant?: number;
  /** Note in the take; undefined where it is missing. */
  readonly note?: string;
  /** Lateness in milliseconds; negative is early. */
  readonly ms?: Milliseconds;
  /** True for a take that is late or early throughout. */
  readonly whole?: boolean;
  /** Difference in velocity, of a softer or louder phrase. */
  readonly by?: number;
}

/** Take in a bar that it covers. */
export interface TakeBar {
  readonly slips: readonly Slip[];
  /** Standard deviation of its notes against the other takes'; null with too few notes. */
  readonly spread: Milliseconds | null;
  /** True if it plays the bar another way than most. */
  readonly variation: boolean;
  /** True if it is alone in that, beyond what slips explain: the player has to say whether it was meant. */
  readonly alone: boolean;
}

/** Bar that is played in several ways, each by more than one take; with the takes of each way, the commonest first. */
export interface Variation {
  readonly bar: number;
  readonly readings: readonly (readonly string[])[];
}

export interface Comparison {
  /** Takes of each bar. */
  readonly bars: ReadonlyMap<string, ReadonlyMap<number, TakeBar>>;
  readonly variations: readonly Variation[];
  /** Milliseconds of takes that are late or early throughout, by take. */
  readonly lags: ReadonlyMap<string, Milliseconds>;
}

/** Limits for asking about a take that plays a bar its own way: number of takes, number of notes, share of notes. */
const FEW_TAKES = 5;
const OWN_WAY = 4;
const OWN_WAY_SHARE = 0.4;
/** Limits of velocity beyond which a phrase is softer or louder than the others. */
const VELOCITY_OFF = 22;
const VELOCITY_BEYOND = 10;
const VELOCITY_NOTES = 3;

/** Least number of takes that can tell what was meant. */
export const FEWEST_TAKES = 3;
/** Distance from the other takes at which a note is early or late, in milliseconds and in standard deviations. */
const OFF: Milliseconds = 60;
const OFF_SPREADS = 3.8;
/** Distance of a whole phrase from which each of its notes counts. */
const PHRASE_OFF: Milliseconds = 45;
/** Distance within which a missing and an extra note are one wrong note. */
const SAME_ONSET: Milliseconds = 90;
/** Samples of the pedal in a bar, and how many have to differ. */
const PEDAL_LOOKS = 8;
const PEDAL_DIFFERS = 3;

interface BarTake {
  readonly take: number;
  readonly slots: ReadonlySet<number>;
}

const difference = (a: ReadonlySet<number>, b: ReadonlySet<number>): Set<number> =>
  new Set([...[...a].filter((x) => !b.has(x)), ...[...b].filter((x) => !a.has(x))]);
const common = (a: ReadonlySet<number>, b: ReadonlySet<number>): number[] => [...a].filter((x) => b.has(x));

/** Notes played by more than half of some takes. */
function agreed(takes: readonly BarTake[]): Set<number> {
  const counts = new Map<number, number>();
  for (const { slots } of takes) for (const slot of slots) counts.set(slot, (counts.get(slot) ?? 0) + 1);
  return new Set([...counts].filter(([, n]) => n * 2 > takes.length).map(([slot]) => slot));
}

/**
 * Ways in which a bar is played, the commonest first. Takes that differ from most in the same way, by more than slips
 * explain, did so on purpose.
 */
function readingsOf(takes: readonly BarTake[]): BarTake[][] {
  const most = agreed(takes);
  const differences = takes.map(({ slots }) => difference(slots, most));
  const group = takes.map((_, i) => i);
  const rootOf = (i: number): number => (group[i] === i ? i : rootOf(group[i]!));
  /** Similarity at which a group was formed. */
  const shared = new Map<number, number>();
  for (let i = 0; i < takes.length; i += 1) {
    for (let j = 0; j < i; j += 1) {
      const [a, b] = [differences[i]!, differences[j]!];
      const same = common(a, b);
      const added = same.filter((slot) => !most.has(slot)).length;
      const alike = same.length * 2 >= Math.max(a.size, b.size) && (added > 0 || same.length > 1);
      if (!alike) continue;
      const [x, y] = [rootOf(i), rootOf(j)];
      const strength = Math.max(same.length, shared.get(x) ?? 0, shared.get(y) ?? 0);
      group[x] = y;
      shared.set(y, strength);
    }
  }
  const groups = new Map<number, BarTake[]>();
  takes.forEach((take, i) => groups.set(rootOf(i), [...(groups.get(rootOf(i)) ?? []), take]));
  const onPurpose = [...groups].filter(
    ([root, { length }]) =>
      length >= 2 && shared.has(root) && (length >= 0.12 * takes.length + 0.6 || shared.get(root)! >= 4),
  );
  const isOwnWay = (i: number): boolean => {
    const differs = differences[i]!.size;
    return takes.length <= FEW_TAKES && differs >= OWN_WAY && differs >= OWN_WAY_SHARE * Math.max(1, most.size);
  };
  const rest = [...takes.keys()].filter((i) => !onPurpose.some(([root]) => root === rootOf(i)));
  // A take that differs while the others agree may have meant it.
  const own = rest.filter(isOwnWay);
  const alone = own.length === 1 && rest.length - own.length >= 2 ? own : [];
  const others = rest.filter((i) => !alone.includes(i)).map((i) => takes[i]!);
  const ways = [others, ...onPurpose.map(([, members]) => members)].filter((g) => g.length > 0);
  const sorted = ways.sort((a, b) => b.length - a.length || a[0]!.take - b[0]!.take);
  return [...sorted, ...alone.map((i) => [takes[i]!])];
}

/** State of each take's pedal, at some places in each bar. */
function pedalLooks(take: ReadTake, bars: number, meter: MeterMap): Uint8Array {
  const pedal = take.controls.filter((c) => c.message.type === 'control' && c.message.controller === SUSTAIN);
  const looks = new Uint8Array((bars + 1) * PEDAL_LOOKS);
  let next = 0;
  let down = 0;
  for (let bar = 1; bar <= bars; bar += 1) {
    const from = barStart(meter, bar);
    const length = barStart(meter, bar + 1) - from;
    for (let i = 0; i < PEDAL_LOOKS; i += 1) {
      // Sampled between the beats, as it changes on them.
      const at = from + ((i + 0.5) / PEDAL_LOOKS) * length;
      for (; next < pedal.length && pedal[next]!.at <= at; next += 1)
        down = (pedal[next]!.message as { value: number }).value >= 64 ? 1 : 0;
      looks[bar * PEDAL_LOOKS + i] = down;
    }
  }
  return looks;
}

/**
 * Compares takes of one part bar by bar. What most of the takes that cover a bar agree on is what was meant; where
 * they fall into several readings, each played more than once, each is held against its own.
 * @param given in any order: the outcome is the same
 * @param bars how many the song has
 */
export function compareTakes(given: readonly ReadTake[], bars: number, tempo: TempoMap, meter: MeterMap): Comparison {
  const asPlayed = [...given].sort((a, b) => (a.id < b.id ? -1 : 1));
  // A take that is off as a whole is aligned first: that is one slip, and its notes are compared without it.
  const lags = wholeLags(asPlayed, tempo, meter);
  const takes = asPlayed.map((take, i) => withoutLag(take, lags[i]!, tempo, meter));
  const slots = alignTakes(takes, tempo, meter);
  const velocities = phraseVelocities(slots, takes.length, meter, bars);
  const inBar: number[][] = Array.from({ length: bars + 2 }, () => []);
  // Notes ahead of a bar line may mean the bar, which the median of the slot decides.
  slots.forEach((slot, i) => inBar[Math.max(0, Math.min(bars + 1, barOf(slot, meter)))]!.push(i));
  const off = Math.max(OFF, OFF_SPREADS * looseness(slots));
  const pedals = takes.map((take) => pedalLooks(take, bars, meter));
  const found = new Map(takes.map((t) => [t.id, new Map<number, TakeBar>()]));
  const variations: Variation[] = [];
  for (let bar = 1; bar <= bars; bar += 1) {
    const [from, to] = [barStart(meter, bar), barStart(meter, bar + 1)];
    const covering = takes.flatMap((take, i): BarTake[] =>
      take.from <= from && take.to >= to ? [{ take: i, slots: new Set() }] : [],
    );
    const own = new Map(covering.map((c) => [c.take, c.slots as Set<number>]));
    for (const slot of inBar[bar]!) for (const { take } of slots[slot]!.struck) own.get(take)?.add(slot);
    const ways = covering.length >= FEWEST_TAKES ? readingsOf(covering) : [covering];
    if (ways.length > 1)
      variations.push({ bar, readings: ways.map((way) => way.map((member) => takes[member.take]!.id)) });
    ways.forEach((way, rank) => {
      const meant = way.length > 1 || ways.length === 1 ? agreed(way) : agreed(ways[0]!);
      for (const { take, slots: played } of way) {
        const alone = way.length === 1 && rank > 0 && covering.length <= FEW_TAKES;
        const slips = covering.length >= FEWEST_TAKES && !alone ? slipsOf(take, played, meant, slots, bar, off) : [];
        if (covering.length >= FEWEST_TAKES && pedalDiffers(take, covering, pedals, bar))
          slips.push({ kind: 'pedal', bar, at: from });
        const by = velocities[take]!.get(bar);
        if (by) slips.push({ kind: by > 0 ? 'louder' : 'softer', bar, at: from, by: Math.abs(by) });
        const variation = ways.length > 1 && rank > 0;
        const spread = spreadOf(take, played, slots);
        found.get(takes[take]!.id)!.set(bar, { slips, spread, variation, alone });
      }
    });
  }
  const late = new Map(takes.flatMap(({ id }, i) => (lags[i] ? [[id, lags[i]! * 1000] as const] : [])));
  for (const [id, ms] of late) found.set(id, whereItLies(found.get(id)!, ms, tempo, meter));
  return { bars: found, variations, lags: late };
}

/** Slips of a take that is off as a whole, at their places, with one slip that says so. */
function whereItLies(
  facts: ReadonlyMap<number, TakeBar>,
  ms: Milliseconds,
  tempo: TempoMap,
  meter: MeterMap,
): Map<number, TakeBar> {
  const moved = (at: Ticks): Ticks => tickAt(tempo, secondsAt(tempo, at) + ms / 1000);
  const barOfMiddle = (bar: number): number =>
    barAt(meter, moved((barStart(meter, bar) + barStart(meter, bar + 1)) / 2));
  const rows = [...facts].sort(([a], [b]) => a - b);
  return new Map(
    rows.map(([bar, own], i) => {
      const here = barOfMiddle(bar);
      const slips = own.slips.map((s) => ({ ...s, bar: here, at: moved(s.at) }));
      const at = Math.max(0, barStart(meter, here));
      const whole: Slip = { kind: ms > 0 ? 'late' : 'early', bar: here, at, ms: Math.abs(ms), whole: true };
      return [here, { ...own, slips: i === 0 ? [whole, ...slips] : slips }] as const;
    }),
  );
}

/**
 * Bars that a take plays far softer or louder than all others, by how much. A take that is softer
 * throughout has slips in none of them.
 */
function phraseVelocities(slots: readonly Slot[], takes: number, meter: MeterMap, bars: number): Map<number, number>[] {
  const off = Array.from({ length: takes }, () => new Map<number, number[]>());
  for (const slot of slots) {
    if (slot.struck.length < FEWEST_TAKES) continue;
    const bar = barOf(slot, meter);
    if (bar < 1 || bar > bars) continue;
    for (const { take, note } of slot.struck) {
      const others = slot.struck.filter((s) => s.take !== take).map((s) => s.note.velocity);
      const [low, high] = [Math.min(...others), Math.max(...others)];
      // A note beyond all others counts by its distance from their median.
      const by = note.velocity - median(others);
      const isBeyond = note.velocity < low - VELOCITY_BEYOND || note.velocity > high + VELOCITY_BEYOND;
      const own = off[take]!.get(bar) ?? [];
      own.push(isBeyond ? by : Math.sign(by) * Math.min(Math.abs(by), VELOCITY_BEYOND));
      off[take]!.set(bar, own);
    }
  }
  return off.map((own) => {
    const all = [...own.values()].flat();
    const usual = all.length > 0 ? median(all) : 0;
    return new Map(
      [...own].flatMap(([bar, of]) => {
        const by = Math.round(median(of));
        const isFar =
          of.length >= VELOCITY_NOTES && Math.abs(by) >= VELOCITY_OFF && Math.abs(by - usual) >= VELOCITY_OFF;
        return isFar ? [[bar, by] as const] : [];
      }),
    );
  });
}

/** Looseness of the takes' time: the middle deviation, made comparable to a standard deviation (Rousseeuw, Croux). */
function looseness(slots: readonly Slot[]): Milliseconds {
  const off = slots.flatMap(({ ms, struck }) =>
    struck.length < FEWEST_TAKES ? [] : struck.map((s) => Math.abs(s.ms - ms)),
  );
  return off.length ? 1.4826 * off.sort((a, b) => a - b)[off.length >> 1]! : 0;
}

const barOf = ({ at }: Slot, meter: MeterMap): number => {
  const bar = barAt(meter, at);
  const next = barStart(meter, bar + 1);
  return next - at <= 60 ? bar + 1 : bar;
};

function slipsOf(
  take: number,
  played: ReadonlySet<number>,
  meant: ReadonlySet<number>,
  slots: readonly Slot[],
  bar: number,
  farOff: Milliseconds,
): Slip[] {
  const noteIn = (slot: number): Struck => slots[slot]!.struck.find((s) => s.take === take)!;
  const missing = [...meant].filter((slot) => !played.has(slot));
  const extra = [...played].filter((slot) => !meant.has(slot));
  const slips: Slip[] = [];
  for (const slot of missing) {
    const { key, at, ms } = slots[slot]!;
    const near = extra
      .filter((e) => Math.abs(slots[e]!.ms - ms) <= SAME_ONSET)
      .sort((a, b) => Math.abs(slots[a]!.key - key) - Math.abs(slots[b]!.key - key))[0];
    if (near === undefined) {
      slips.push({ kind: 'missing', bar, at, key });
      continue;
    }
    extra.splice(extra.indexOf(near), 1);
    const { note } = noteIn(near);
    slips.push({ kind: 'wrong', bar, at: note.start, key: note.key, meant: key, note: note.id });
  }
  for (const slot of extra) {
    const { note } = noteIn(slot);
    slips.push({ kind: 'extra', bar, at: note.start, key: note.key, note: note.id });
  }
  for (const slot of played) {
    if (!meant.has(slot) || slots[slot]!.struck.length < FEWEST_TAKES) continue;
    const { note, ms, lag } = noteIn(slot);
    const off = ms + lag - slots[slot]!.ms;
    if (Math.abs(off) < farOff && Math.abs(lag) < PHRASE_OFF) continue;
    const by = Math.abs(off) >= farOff ? off : lag;
    slips.push({
      kind: by > 0 ? 'late' : 'early',
      bar,
      at: note.start,
      key: note.key,
      note: note.id,
      ms: Math.abs(by),
    });
  }
  return slips.sort((a, b) => a.at - b.at);
}

function pedalDiffers(take: number, covering: readonly BarTake[], pedals: readonly Uint8Array[], bar: number): boolean {
  let differs = 0;
  for (let i = 0; i < PEDAL_LOOKS; i += 1) {
    const look = bar * PEDAL_LOOKS + i;
    const down = covering.filter((c) => pedals[c.take]![look] === 1).length;
    // Takes that disagree evenly are none of them wrong.
    const clear = down * 3 >= covering.length * 2 || down * 3 <= covering.length;
    if (clear && down * 2 > covering.length !== (pedals[take]![look] === 1)) differs += 1;
  }
  return differs >= PEDAL_DIFFERS;
}

function spreadOf(take: number, played: ReadonlySet<number>, slots: readonly Slot[]): Milliseconds | null {
  const off = [...played].flatMap((slot) => {
    const { struck, ms } = slots[slot]!;
    if (struck.length < 2) return [];
    const own = struck.find((s) => s.take === take)!;
    return [own.ms - ms];
  });
  if (off.length < 2) return null;
  const mean = off.reduce((a, b) => a + b, 0) / off.length;
  return Math.sqrt(off.reduce((sum, x) => sum + (x - mean) ** 2, 0) / off.length);
}
