import type { Part } from '../document/part';
import { atRest, laneOf, messageOf, valuesBefore, type ControlEvent, type Lane } from '../performance/controls';
import { SUSTAIN } from '../performance/messages';
import type { Edit } from '../takes/edits';
import type { TickRange, Ticks } from '../time/units';
import type { TakeEdits } from './notes';
import { lanePieces } from './editedView';

export const PEDAL: Lane = `control ${SUSTAIN}`;
/** Place and value. */
export type Point = readonly [Ticks, number];

/** Lanes with events, the pedal first, then by number. */
export function lanesOf(controls: readonly ControlEvent[]): Lane[] {
  const lanes = new Set(controls.filter((c) => c.message.type !== 'program').map((c) => laneOf(c.message)));
  const number = (lane: Lane) => (lane === PEDAL ? -1 : Number(lane.split(' ')[1] ?? 200));
  return [...lanes].sort((a, b) => number(a) - number(b));
}

export const pointsOf = (controls: readonly ControlEvent[], lane: Lane): Point[] =>
  controls.filter((c) => laneOf(c.message) === lane).map((c) => [c.at, c.message.value] as const);

/** Highest value of a lane, and its value at rest. */
export const scaleOf = (lane: Lane): { readonly most: number; readonly rest: number } => ({
  most: lane === 'bend' ? 16383 : 127,
  rest: atRest(messageOf(lane, 0)!)?.value ?? 0,
});

/** Range in which the pedal is down. */
export interface PedalBar extends TickRange {
  /** Deepest value; below 127 the pedal is not wholly down. */
  readonly depth: number;
}

/** Least value of a pedal that is down (MIDI 1.0: 64 to 127 is on). */
const DOWN = 64;

/** @param end of a pedal that never comes up */
export function pedalBars(points: readonly Point[], end: Ticks): PedalBar[] {
  const bars: PedalBar[] = [];
  let depth = 0;
  let from: Ticks = 0;
  for (const [at, value] of points) {
    if (value >= DOWN) {
      if (depth === 0) from = at;
      depth = Math.max(depth, value);
    } else if (depth > 0) {
      bars.push({ from, to: at, depth });
      depth = 0;
    }
  }
  if (depth > 0) bars.push({ from, to: Math.max(end, from + 1), depth });
  return bars;
}

/**
 * Draws a controller in a range, in each take that is picked there. Drawn values are held across the borders between
 * takes.
 */
export function drawLane(part: Part, lane: Lane, range: TickRange, points: readonly Point[]): TakeEdits[] {
  const drawn = points.map(([at, value]) => [Math.round(at), Math.round(value)] as const).sort((a, b) => a[0] - b[0]);
  return lanePieces(part, lane, range).map(({ takeId, from, to }) => {
    const inside = drawn.filter(([at]) => at >= from && at < to);
    const held = drawn.findLast(([at]) => at < from);
    const { rest } = scaleOf(lane);
    const carried = held && held[1] !== rest && inside[0]?.[0] !== from ? [[from, held[1]] as const] : [];
    return { take: takeId, edits: [{ op: 'draw', lane, from, to, points: [...carried, ...inside] }] };
  });
}

const overPieces = (part: Part, lane: Lane, range: TickRange, make: (piece: TickRange) => Edit): TakeEdits[] =>
  lanePieces(part, lane, range).map(({ takeId, from, to }) => ({ take: takeId, edits: [make({ from, to })] }));

export const clearLane = (part: Part, lane: Lane, range: TickRange): TakeEdits[] => drawLane(part, lane, range, []);

export const scaleLane = (part: Part, lane: Lane, range: TickRange, times: number, by: number): TakeEdits[] =>
  overPieces(part, lane, range, (piece) => ({ op: 'scale', lane, ...piece, times, by }));

export const giveLaneBack = (part: Part, lane: Lane, range: TickRange): TakeEdits[] =>
  overPieces(part, lane, range, (piece) => ({ op: 'give lane back', lane, ...piece }));

/** Pedal bars as points; bars that meet become one. */
export function pointsOfBars(bars: readonly PedalBar[]): Point[] {
  const joined: PedalBar[] = [];
  for (const bar of [...bars].filter((b) => b.to > b.from).sort((a, b) => a.from - b.from)) {
    const last = joined.at(-1);
    if (last && bar.from <= last.to)
      joined[joined.length - 1] = { from: last.from, to: Math.max(last.to, bar.to), depth: last.depth };
    else joined.push(bar);
  }
  return joined.flatMap(({ from, to, depth }) => [[from, depth] as const, [to, 0] as const]);
}

/**
 * Replaces a pedal bar, adds or deletes one; the others stay, joined where they meet.
 * @param points of the lane as it is
 */
export function setPedal(
  part: Part,
  points: readonly Point[],
  end: Ticks,
  before: PedalBar | null,
  after: PedalBar | null,
): TakeEdits[] {
  const bars = pedalBars(points, end);
  const others = bars.filter((b) => !before || b.from !== before.from);
  const reach = [before, after].filter((b): b is PedalBar => b !== null);
  const touched = others.filter((b) => after && b.from <= after.to && b.to >= after.from);
  const all = [...reach, ...touched];
  const range = { from: Math.min(...all.map((b) => b.from)), to: Math.max(...all.map((b) => b.to)) + 1 };
  // Values inside the bars that stay are left as they were played.
  const untouched = others.filter((b) => !touched.includes(b) && b.from < range.to && b.to > range.from);
  const kept = untouched.flatMap((b) => points.filter(([at]) => at >= b.from && at <= b.to));
  const drawn = after ? pointsOfBars([...touched, after]) : [];
  return drawLane(part, PEDAL, range, [...kept, ...drawn]);
}

/** Largest inaudible error of a drawn value. */
const TOLERANCE = 1;
/** Largest error of a bend, whose steps are finer. */
const BEND_TOLERANCE = 48;

/**
 * Curve thinned to fewer points. As a controller holds its value, the result is never further than the tolerance from
 * what was drawn, and ends at its last value.
 */
export function thinned(points: readonly Point[], lane: Lane): Point[] {
  const tolerance = lane === 'bend' ? BEND_TOLERANCE : TOLERANCE;
  const { rest } = scaleOf(lane);
  let held: number | null = null;
  return points.filter(([, value], i) => {
    // A bend that stays just off its centre is out of tune, so it ends exactly at rest.
    const same = held !== null && Math.abs(value - held) <= tolerance && (value !== rest || held === rest);
    if (same && i < points.length - 1) return false;
    if (value === held) return false;
    held = value;
    return true;
  });
}

export const SHAPES = ['line', 'slow start', 'slow end', 'both'] as const;
export type Shape = (typeof SHAPES)[number];
const EASE: Readonly<Record<Shape, (share: number) => number>> = {
  line: (x) => x,
  'slow start': (x) => x * x,
  'slow end': (x) => 1 - (1 - x) * (1 - x),
  both: (x) => x * x * (3 - 2 * x),
};

/** Points of a line or curve between two places, one at each change of value, no closer than a 1/128. */
export function curve([from, first]: Point, [to, last]: Point, shape: Shape): Point[] {
  if (to <= from) return [[from, last]];
  const step = Math.max(30, (to - from) / 2000);
  const points: Point[] = [[from, Math.round(first)]];
  for (let at = from + step; at < to; at += step) {
    const value = Math.round(first + (last - first) * EASE[shape]((at - from) / (to - from)));
    if (value !== points.at(-1)![1]) points.push([Math.round(at), value]);
  }
  if (points.at(-1)![1] !== Math.round(last)) points.push([Math.round(to), Math.round(last)]);
  return points;
}

/** Points of a lane between two places, moved to begin at 0, with the value that holds at the first; for copying. */
export function cutOut(controls: readonly ControlEvent[], lane: Lane, range: TickRange): Point[] {
  const inside = pointsOf(controls, lane).filter(([at]) => at >= range.from && at < range.to);
  const held = valuesBefore(controls, range.from).get(lane)?.value;
  const first = held !== undefined && inside[0]?.[0] !== range.from ? [[range.from, held] as const] : [];
  return [...first, ...inside].map(([at, value]) => [at - range.from, value] as const);
}
