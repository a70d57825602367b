import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { LOOP_EVERY, LOOP_STROKES, loopStroke, readLoop } from './loopTest';
import { real } from '../testing/realNumbers';

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
      fc.property(real(0.003, 0.25), fc.nat(1000), fc.constantFrom(1, -1), (delay, seed, flip) => {
        const found = measure(delay, { noise: 0.3 * strokeRms * 10 ** (-10 / 20), seed, flip });
        expect(found.type).toBe('measured');
        if (found.type === 'measured') expect(Math.abs(found.delay - delay)).toBeLessThan(1e-4);
      }),
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
