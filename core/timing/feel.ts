import { barAt, barStart, type MeterMap } from '../time/meter';
import type { Milliseconds, Ticks } from '../time/units';

/** One place of a feel. */
export interface FeelPlace {
  /** Place in the bar where it is written. */
  readonly at: Ticks;
  /** Lateness there, in milliseconds; negative is early. */
  readonly ms: Milliseconds;
  /** Velocity above the mean, in MIDI steps. */
  readonly touch: number;
}

/** Timing and velocity by place in the bar. */
export interface Feel {
  readonly name: string;
  /** Length of its bar. */
  readonly bar: Ticks;
  /** Places in rising order. */
  readonly places: readonly FeelPlace[];
}

/** Notes that a feel is taken from: how late and how loud a line was struck. */
export interface Struck {
  /** The line, as it is written. */
  readonly line: Ticks;
  readonly ms: Milliseconds;
  readonly velocity: number;
}

/** Places nearer to each other than this are the same place. */
const ONE_PLACE: Ticks = 0.75;
export const MOST_PLACES = 512;

/**
 * The feel of what was struck: for each place in the bar the mean of how late and how loud it was.
 * @returns null where nothing was struck
 */
export function feelOf(name: string, struck: readonly Struck[], meter: MeterMap): Feel | null {
  if (struck.length === 0) return null;
  const bars = new Map<Ticks, number>();
  const lengthAt = (line: Ticks): [Ticks, Ticks] => {
    const bar = barAt(meter, line + ONE_PLACE);
    const start = barStart(meter, bar);
    return [start, barStart(meter, bar + 1) - start];
  };
  for (const { line } of struck) bars.set(lengthAt(line)[1], (bars.get(lengthAt(line)[1]) ?? 0) + 1);
  // In a song with several meters the feel has the bar in which most notes lie.
  const [bar] = [...bars].reduce((a, b) => (b[1] > a[1] ? b : a));
  const groups = new Map<number, { at: Ticks; ms: number; velocity: number; count: number }>();
  let [loud, count] = [0, 0];
  for (const { line, ms, velocity } of struck) {
    const [start, length] = lengthAt(line);
    if (length !== bar) continue;
    const at = Math.max(0, line - start);
    const group = groups.get(Math.round(at)) ?? { at, ms: 0, velocity: 0, count: 0 };
    group.ms += ms;
    group.velocity += velocity;
    group.count += 1;
    loud += velocity;
    count += 1;
    groups.set(Math.round(at), group);
  }
  const mean = loud / count;
  const places = [...groups.values()]
    .sort((a, b) => a.at - b.at)
    .slice(0, MOST_PLACES)
    .map((g): FeelPlace => ({ at: g.at, ms: g.ms / g.count, touch: g.velocity / g.count - mean }));
  return { name, bar, places };
}

/** Feel at a place in a bar, by linear interpolation between the places that it has. */
export function feelAt({ bar, places }: Feel, inBar: Ticks): Omit<FeelPlace, 'at'> {
  if (places.length === 0) return { ms: 0, touch: 0 };
  const at = inBar % bar;
  const next = places.findIndex((p) => p.at > at - ONE_PLACE);
  const after = places[next === -1 ? 0 : next]!;
  if (Math.abs(after.at - at) < ONE_PLACE) return after;
  const before = places.at(next === -1 ? -1 : next - 1)!;
  const from = before.at > at ? before.at - bar : before.at;
  const to = after.at < at ? after.at + bar : after.at;
  const share = to > from ? (at - from) / (to - from) : 0;
  const between = (a: number, b: number): number => a + (b - a) * share;
  return { ms: between(before.ms, after.ms), touch: between(before.touch, after.touch) };
}

const sixteenths = (name: string, of: readonly (readonly [ms: number, touch: number])[]): Feel => ({
  name,
  bar: 3840,
  places: Array.from({ length: 16 }, (_, i) => {
    const [ms, touch] = of[i % of.length]!;
    return { at: i * 240, ms, touch };
  }),
});

/** Feels that ship: made up, none taken from a recording. */
export const SHIPPED_FEELS: readonly Feel[] = [
  sixteenths('Behind the two and four', [
    ...([
      [0, 6],
      [4, -8],
      [3, 0],
      [5, -8],
      [12, 4],
      [8, -8],
      [6, 0],
      [8, -6],
    ] as const),
  ]),
  sixteenths('Leaning forward', [
    [-2, 6],
    [-7, -4],
    [-5, 2],
    [-8, -4],
  ]),
  sixteenths('Lazy sixteenths', [
    [0, 4],
    [16, -8],
    [4, 0],
    [19, -6],
  ]),
  sixteenths('Rounded eighths', [
    [0, 5],
    [6, -6],
    [11, -3],
    [9, -7],
  ]),
  sixteenths('Rocking sixteenths', [
    [0, 8],
    [-6, -10],
    [2, 4],
    [10, -4],
  ]),
];
