import { expect, it } from 'vitest';
import { seeded } from '../random';
import { mixDown, spectrumOf } from './spectrum';
import { strokesOf } from './strokes';

const RATE = 44_100;

/** Short bursts of noise, as of a drum, at these moments. */
function drum(at: readonly number[], seconds: number): Float32Array {
  const random = seeded(4);
  const wave = new Float32Array(Math.round(seconds * RATE));
  for (const time of at)
    for (let i = 0; i < 0.06 * RATE; i += 1)
      wave[Math.round(time * RATE) + i]! += random.normal(0.3) * Math.exp(-i / (0.012 * RATE));
  return wave;
}

it('strokes of a recording are found where they are struck, to a millisecond or two', () => {
  const at = Array.from({ length: 24 }, (_, i) => 0.5 + i * 0.25 + (i % 2 ? 0.018 : 0));
  const wave = [drum(at, 7.5)];
  const strokes = strokesOf(spectrumOf(wave, RATE), mixDown(wave, RATE));
  const errors = at.map((t) => Math.min(...strokes.map((s) => Math.abs(s.at - t))));
  expect(Math.max(...errors)).toBeLessThan(0.002);
  expect(strokes.length).toBeLessThan(at.length + 4);
  const silence = [new Float32Array(RATE)];
  expect(strokesOf(spectrumOf(silence, RATE), mixDown(silence, RATE))).toEqual([]);
});
