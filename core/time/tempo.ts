import { lastAtOrBefore } from '../numbers';
import { TICKS_PER_QUARTER, type Bpm, type Seconds, type Ticks } from './units';

/** Tempo change: from `tick` on the tempo is `bpm`; a linear ramp glides, evenly in ticks, to the next change. */
export interface TempoChange {
  readonly tick: Ticks;
  readonly bpm: Bpm;
  readonly ramp?: 'jump' | 'linear';
}

interface TempoSpan {
  readonly tick: Ticks;
  readonly seconds: Seconds;
  readonly bpm: Bpm;
  /** Change of tempo in bpm for each quarter note; 0 between jumps. */
  readonly slope: number;
}

export interface TempoMap {
  readonly changes: readonly TempoChange[];
  readonly spans: readonly TempoSpan[];
}

/**
 * Seconds taken by `quarters` from a point where the tempo is `bpm` and grows by `slope` a quarter.
 * The integral of 60 / (bpm + slope·q) is (60/slope)·ln(1 + slope·q/bpm). `log1p` keeps it exact
 * for ramps so gentle that the plain logarithm would lose its digits.
 */
function secondsOver(quarters: number, bpm: Bpm, slope: number): Seconds {
  const x = (slope * quarters) / bpm;
  return x === 0 ? (60 * quarters) / bpm : ((60 * quarters) / bpm) * (Math.log1p(x) / x);
}

/** Exact inverse of `secondsOver`. */
function quartersOver(seconds: Seconds, bpm: Bpm, slope: number): number {
  const y = (slope * seconds) / 60;
  return y === 0 ? (bpm * seconds) / 60 : ((bpm * seconds) / 60) * (Math.expm1(y) / y);
}

/** Compiled maps, by their lists of changes, which are immutable. */
const compiled = new WeakMap<readonly TempoChange[], TempoMap>();

/**
 * Compiles tempo changes, each list once. The first change also holds before its tick, back through the count-off.
 * @param changes in any order; of two at one tick the later in the list wins
 * @throws RangeError when the list is empty or a tempo is not a positive finite number
 */
export function tempoMap(changes: readonly TempoChange[]): TempoMap {
  const known = compiled.get(changes);
  if (known) return known;
  const map = compile(changes);
  compiled.set(changes, map);
  return map;
}

function compile(changes: readonly TempoChange[]): TempoMap {
  if (changes.length === 0) throw new RangeError('A tempo map needs at least one tempo.');
  const byTick = new Map<number, TempoChange>();
  for (const change of changes) {
    if (!(change.bpm > 0) || !Number.isFinite(change.bpm))
      throw new RangeError(`A tempo of ${change.bpm} cannot be played.`);
    byTick.set(change.tick, change);
  }
  const sorted = [...byTick.values()].sort((a, b) => a.tick - b.tick);
  const spans: TempoSpan[] = [];
  sorted.forEach((change, i) => {
    const next = sorted[i + 1];
    const slope =
      change.ramp === 'linear' && next ? ((next.bpm - change.bpm) * TICKS_PER_QUARTER) / (next.tick - change.tick) : 0;
    const before = spans[i - 1];
    const seconds = before
      ? before.seconds + secondsOver((change.tick - before.tick) / TICKS_PER_QUARTER, before.bpm, before.slope)
      : 0;
    spans.push({ tick: change.tick, seconds, bpm: change.bpm, slope });
  });
  // Seconds count from tick 0, wherever the first change is.
  const zero = secondsInSpans(spans, 0);
  return { changes: sorted, spans: spans.map((s) => ({ ...s, seconds: s.seconds - zero })) };
}

const tickOf = (s: TempoSpan): Ticks => s.tick;
const secondsOf = (s: TempoSpan): Seconds => s.seconds;

function secondsInSpans(spans: readonly TempoSpan[], tick: Ticks): Seconds {
  const s = lastAtOrBefore(spans, tick, tickOf);
  const slope = tick < s.tick ? 0 : s.slope;
  return s.seconds + secondsOver((tick - s.tick) / TICKS_PER_QUARTER, s.bpm, slope);
}

/**
 * Song seconds at a tick; tick 0 is 0 s.
 * @example secondsAt(tempoMap([{ tick: 0, bpm: 120 }]), 3840) // 2
 */
export const secondsAt = (map: TempoMap, tick: Ticks): Seconds => secondsInSpans(map.spans, tick);

/**
 * The tick at a song second: the exact inverse of `secondsAt`. Fractional.
 * @example tickAt(tempoMap([{ tick: 0, bpm: 120 }]), 2) // 3840
 */
export function tickAt(map: TempoMap, seconds: Seconds): Ticks {
  const s = lastAtOrBefore(map.spans, seconds, secondsOf);
  const slope = seconds < s.seconds ? 0 : s.slope;
  return s.tick + quartersOver(seconds - s.seconds, s.bpm, slope) * TICKS_PER_QUARTER;
}

/**
 * The tempo in force at a tick.
 * @example bpmAt(tempoMap([{ tick: 0, bpm: 120 }]), 100) // 120
 */
export function bpmAt(map: TempoMap, tick: Ticks): Bpm {
  const s = lastAtOrBefore(map.spans, tick, tickOf);
  return tick < s.tick ? s.bpm : s.bpm + (s.slope * (tick - s.tick)) / TICKS_PER_QUARTER;
}
