import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { changedSince, setupOf } from './figures';
import { LOOP_EVERY, LOOP_STROKES, loopStroke, readLoop } from './looptest';
import { outputFromTaps, readTaps, TAP_CLICKS, TAP_EVERY } from './taptest';

const RATE = 48_000;

/** Strokes that come back after a delay (not a whole number of frames), with noise, and now and then something else. */
function loop(
  delay: number | ((i: number) => number),
  { gain = 0.3, noise = 0, seed = 1, flip = 1 } = {},
): { recording: Float32Array; sent: number[] } {
  const random = seeded(seed);
  const stroke = loopStroke(RATE);
  const sent = Array.from({ length: LOOP_STROKES }, (_, i) => Math.round((0.2 + i * LOOP_EVERY) * RATE));
  const recording = Float32Array.from({ length: Math.round((0.6 + LOOP_STROKES * LOOP_EVERY) * RATE) }, () =>
    random.normal(noise),
  );
  sent.forEach((frame, n) => {
    const at = frame + (typeof delay === 'number' ? delay : delay(n)) * RATE;
    for (let i = Math.ceil(at); i < at + stroke.length - 1; i += 1) {
      const into = i - at;
      const k = Math.floor(into);
      recording[i]! += flip * gain * (stroke[k]! * (1 - (into - k)) + stroke[k + 1]! * (into - k));
    }
  });
  return { recording, sent };
}
const measure = (...of: Parameters<typeof loop>) => {
  const { recording, sent } = loop(...of);
  return readLoop(recording, RATE, sent);
};
const strokeRms = Math.sqrt(loopStroke(RATE).reduce((s, x) => s + x * x, 0) / loopStroke(RATE).length);

describe('the loop test', () => {
  it('finds any delay from 3 to 250 ms within a tenth of a millisecond, with noise 10 dB under the strokes', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.003, max: 0.25, noNaN: true }),
        fc.nat(1000),
        fc.constantFrom(1, -1),
        (delay, seed, flip) => {
          const found = measure(delay, { noise: 0.3 * strokeRms * 10 ** (-10 / 20), seed, flip });
          expect(found.type).toBe('measured');
          if (found.type === 'measured') expect(Math.abs(found.delay - delay)).toBeLessThan(1e-4);
        },
      ),
      { numRuns: 8 },
    );
  });

  it('refuses rather than guess: noise louder than the strokes, nothing at all, strokes that wander', () => {
    for (const db of [1, 3, 10, 20]) {
      expect(measure(0.05, { noise: 0.3 * strokeRms * 10 ** (db / 20), seed: db })).toEqual({
        type: 'refused',
        why: 'noisy',
      });
    }
    expect(measure(0.05, { gain: 0 })).toEqual({ type: 'refused', why: 'quiet' });
    expect(measure(0.05, { gain: 1e-4 })).toEqual({ type: 'refused', why: 'quiet' });
    expect(measure((i) => 0.05 + 0.006 * i)).toEqual({ type: 'refused', why: 'wide' });
  });

  it('is not misled by one stroke that went astray', () => {
    const found = measure((i) => (i === 3 ? 0.2 : 0.0321));
    expect(found).toMatchObject({ type: 'measured', strokes: LOOP_STROKES - 1 });
    if (found.type === 'measured') expect(found.delay).toBeCloseTo(0.0321, 4);
  });
});

describe('the tap test', () => {
  const clicks = Array.from({ length: TAP_CLICKS }, (_, i) => 5 + i * TAP_EVERY);
  const taps = (late: number, spread: number, seed = 2) => {
    const random = seeded(seed);
    return clicks.map((c) => c + late + random.normal(spread));
  };

  it('says how late the taps are, and how far they lie apart, whatever single slips there are', () => {
    const good = taps(0.045, 0.008);
    const found = readTaps(clicks, [...good.slice(0, 9), good[9]! + 0.2, ...good.slice(11), good[4]! + 0.1]);
    expect(found).toMatchObject({ type: 'measured' });
    if (found.type === 'measured') {
      expect(Math.abs(found.late - 0.045)).toBeLessThan(0.006);
      expect(found.spread).toBeLessThan(0.014);
    }
  });

  it('refuses too few taps, and taps that follow nothing', () => {
    expect(readTaps(clicks, [])).toEqual({ type: 'refused', why: 'few' });
    expect(readTaps(clicks, taps(0.02, 0.005).slice(0, 8))).toEqual({ type: 'refused', why: 'few' });
    expect(readTaps(clicks, taps(0, 0.12, 5))).toEqual({ type: 'refused', why: 'wide' });
  });

  it('knows the way out from two of them, without the habit of tapping early', () => {
    const habit = -0.03;
    const of = (late: number, seed: number) => {
      const found = readTaps(clicks, taps(late, 0.004, seed));
      return found.type === 'measured' ? found.late : Number.NaN;
    };
    expect(outputFromTaps(of(0.06 + habit, 3), of(habit, 4))).toBeCloseTo(0.06, 2);
    expect(outputFromTaps(-0.01, 0.02)).toBe(0);
  });
});

describe('stored figures', () => {
  const figure = (at: string) => ({ seconds: 0.02, spread: 0, method: 'loop' as const, at });
  it('belong to one set-up, and another one says that they do not hold', () => {
    const here = setupOf(48_000, 0.0107, 'default output');
    expect(here).toEqual({ id: 'default output 48000 10.7', words: 'default output, 48 kHz, buffer 10.7 ms' });
    const old = { words: 'old', output: figure('2026-01-01'), input: null };
    const newer = { words: 'newer', output: figure('2026-02-01'), input: null };
    expect(changedSince({}, here.id)).toBeUndefined();
    expect(changedSince({ a: old, b: newer, c: { words: 'none', output: null, input: null } }, here.id)).toBe(newer);
    expect(changedSince({ a: old, [here.id]: newer }, here.id)).toBeUndefined();
  });
});
