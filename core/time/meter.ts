import { lastAtOrBefore } from '../numbers';
import { TICKS_PER_QUARTER, type Ticks } from './units';

/** Meter change: from the start of `bar` (1 is the first) a bar has `beats` beats of 1/`unit` notes. */
export interface MeterChange {
  readonly bar: number;
  readonly beats: number;
  readonly unit: number;
}

export interface MeterSpan extends MeterChange {
  readonly tick: Ticks;
  readonly ticksPerBeat: Ticks;
  readonly ticksPerBar: Ticks;
}

export interface MeterMap {
  readonly spans: readonly MeterSpan[];
}

/** Place in the song. Bars and beats count from 1; bar 0 is the one before bar 1. */
export interface Position {
  readonly bar: number;
  readonly beat: number;
  /** Ticks into the beat. */
  readonly tick: Ticks;
}

export type Accent = 'bar' | 'group' | 'beat';

/**
 * Compiles meter changes. The first one also holds before bar 1.
 * @throws RangeError where there is none, the first is not at bar 1, or a meter is invalid
 */
export function meterMap(changes: readonly MeterChange[]): MeterMap {
  const sorted = [...changes].sort((a, b) => a.bar - b.bar);
  if (sorted[0]?.bar !== 1) throw new RangeError('A meter map starts at bar 1.');
  const spans: MeterSpan[] = [];
  for (const { bar, beats, unit } of sorted) {
    if (!(beats >= 1) || !Number.isInteger(beats) || ![1, 2, 4, 8, 16, 32].includes(unit)) {
      throw new RangeError(`${beats}/${unit} is not a meter.`);
    }
    const before = spans.at(-1);
    if (before?.bar === bar) throw new RangeError(`Bar ${bar} has two meters.`);
    const ticksPerBeat = (TICKS_PER_QUARTER * 4) / unit;
    const tick = before ? before.tick + (bar - before.bar) * before.ticksPerBar : 0;
    spans.push({ bar, beats, unit, tick, ticksPerBeat, ticksPerBar: ticksPerBeat * beats });
  }
  return { spans };
}

const tickOfSpan = (s: MeterSpan): Ticks => s.tick;
const barOfSpan = (s: MeterSpan): number => s.bar;

/**
 * The meter in force at a tick.
 * @example meterAt(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 5000).ticksPerBar // 3840
 */
export function meterAt(map: MeterMap, tick: Ticks): MeterSpan {
  return lastAtOrBefore(map.spans, tick, tickOfSpan);
}

/**
 * The tick on which a bar starts; `bar` may be 0 or negative.
 * @example barStart(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 3) // 7680
 */
export function barStart(map: MeterMap, bar: number): Ticks {
  const s = lastAtOrBefore(map.spans, bar, barOfSpan);
  return s.tick + (bar - s.bar) * s.ticksPerBar;
}

/**
 * The bar a tick falls in.
 * @example barAt(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 3840) // 2
 */
export function barAt(map: MeterMap, tick: Ticks): number {
  const s = meterAt(map, tick);
  return s.bar + Math.floor((tick - s.tick) / s.ticksPerBar);
}

/** @example positionAt(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 4800) // { bar: 2, beat: 2, tick: 0 } */
export function positionAt(map: MeterMap, tick: Ticks): Position {
  const s = meterAt(map, tick);
  const bar = barAt(map, tick);
  const inBar = tick - (s.tick + (bar - s.bar) * s.ticksPerBar);
  const beat = Math.floor(inBar / s.ticksPerBeat);
  return { bar, beat: beat + 1, tick: inBar - beat * s.ticksPerBeat };
}

/**
 * The inverse of `positionAt`.
 * @example tickOf(meterMap([{ bar: 1, beats: 4, unit: 4 }]), { bar: 2, beat: 2, tick: 10 }) // 4810
 */
export function tickOf(map: MeterMap, { bar, beat, tick }: Position): Ticks {
  const start = barStart(map, bar);
  return start + (beat - 1) * meterAt(map, start).ticksPerBeat + tick;
}

/**
 * Accent of a beat: the bar's first, the first of a group of three in 6/8, 9/8 and 12/8, or plain.
 * @example accentOf({ bar: 1, beats: 6, unit: 8 }, 4) // 'group'
 */
export function accentOf(meter: MeterChange, beat: number): Accent {
  if (beat === 1) return 'bar';
  const compound = meter.unit >= 8 && meter.beats % 3 === 0 && meter.beats > 3;
  return compound && (beat - 1) % 3 === 0 ? 'group' : 'beat';
}

export interface Beat {
  readonly tick: Ticks;
  readonly accent: Accent;
}

/**
 * Every beat that starts in [from, to).
 * @example beatsBetween(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 0, 1920).map((b) => b.tick) // [0, 960]
 */
export function beatsBetween(map: MeterMap, from: Ticks, to: Ticks): Beat[] {
  const beats: Beat[] = [];
  for (let bar = barAt(map, from); ; bar += 1) {
    const start = barStart(map, bar);
    if (start >= to) return beats;
    const meter = meterAt(map, start);
    for (let beat = 1; beat <= meter.beats; beat += 1) {
      const tick = start + (beat - 1) * meter.ticksPerBeat;
      if (tick >= from && tick < to) beats.push({ tick, accent: accentOf(meter, beat) });
    }
  }
}
