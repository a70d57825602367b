import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { findPulse, fitPulse, hear, NO_EDITS } from './analysis';
import { spectrumOf, spectrumOfMix } from './spectrum';
import { real } from '../testing/realNumbers';

const RATE = 22_050;

/** A snap on every beat, and a low note that changes with the bar. */
function band(beats: readonly number[], pulses: number, length: number): Float32Array {
  const random = seeded(3);
  const samples = new Float32Array(Math.round(length * RATE));
  beats.forEach((at, i) => {
    const first = i % pulses === 0;
    const hz = 55 * 2 ** ([0, 5, 7, 3][Math.floor(i / pulses) % 4]! / 12);
    const from = Math.round(at * RATE);
    for (let k = 0; k < RATE / 3 && from + k < samples.length; k += 1) {
      const t = k / RATE;
      samples[from + k]! +=
        0.3 * (random.unit() - 0.5) * Math.exp(-t / 0.02) +
        (first ? 0.5 : 0.18) * Math.sin(2 * Math.PI * hz * t) * Math.exp(-t / 0.25);
    }
  });
  return samples;
}

const steady = (bpm: number, count: number, from = 0.5) =>
  Array.from({ length: count }, (_, i) => from + (i * 60) / bpm);

const farthest = (found: readonly { at: number }[], beats: readonly number[]) =>
  Math.max(...beats.map((b) => Math.min(...found.map((f) => Math.abs(f.at - b)))));

describe('the beats of a recording', () => {
  const beats = steady(100, 48);
  const heard = hear(spectrumOf([band(beats, 4, 30)], RATE));

  it('are where the strokes are, and the bar starts where the bass moves', () => {
    const found = fitPulse(heard, NO_EDITS);
    expect(farthest(found.beats, beats)).toBeLessThan(0.012);
    expect(found.beats.length).toBe(48);
    expect(found.bars).toMatchObject({ first: 0, meter: { beats: 4, unit: 4 } });
  });

  it('are told of on the way', () => {
    const told: number[] = [];
    spectrumOfMix({ samples: new Float32Array(RATE * 120), rate: RATE }, (done) => told.push(done));
    expect(told.length).toBeGreaterThan(3);
    expect(told).toEqual([...told].sort((a, b) => a - b));
    expect(told.at(-1)!).toBeLessThan(1);
  });

  it('begin with a stroke on the file’s first sample', () => {
    const found = findPulse([band(steady(96, 40, 0), 4, 26)], RATE);
    expect(Math.abs(found.beats[0]!.at)).toBeLessThan(0.015);
    expect(found.bars.first).toBe(0);
  });

  it('are found in threes too', () => {
    const waltz = steady(110, 48);
    expect(findPulse([band(waltz, 3, 28)], RATE).bars).toMatchObject({ first: 0, meter: { beats: 3, unit: 4 } });
  });

  it('follow players who slow down', () => {
    const slowing = Array.from({ length: 40 }, (_, i) => 0.5 + 0.55 * i + 0.0016 * i * i);
    expect(farthest(findPulse([band(slowing, 4, 28)], RATE).beats, slowing)).toBeLessThan(0.03);
  });

  it.each([
    ['silence', new Float32Array(RATE * 4)],
    ['nothing at all', new Float32Array(0)],
    ['a single sample', new Float32Array(1)],
    ['a steady tone', Float32Array.from({ length: RATE * 4 }, (_, i) => Math.sin(i / 9))],
  ])('are few or none in %s, and it does no harm', (_, samples) => {
    expect(findPulse([samples], RATE).beats.length).toBeLessThan(12);
  });

  it('go through every pin, exactly, and stay in order', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 2, max: 45 }), { minLength: 1, maxLength: 4 }),
        real(-0.08, 0.08),
        (which, off) => {
          const pins = which.map((i) => beats[i]! + off).sort((a, b) => a - b);
          const times = fitPulse(heard, { ...NO_EDITS, pins }).beats.map((b) => b.at);
          for (const pin of pins) expect(times).toContain(pin);
          times.slice(1).forEach((t, i) => expect(t).toBeGreaterThan(times[i]!));
        },
      ),
      { numRuns: 25 },
    );
  });

  it('are doubled, halved, and told another first', () => {
    expect(fitPulse(heard, { ...NO_EDITS, factor: 2 }).beats.length).toBeGreaterThan(90);
    expect(fitPulse(heard, { ...NO_EDITS, factor: 0.5 }).beats.length).toBeLessThan(26);
    expect(fitPulse(heard, { ...NO_EDITS, shift: 1 }).bars.first).toBe(1);
    expect(fitPulse(heard, { ...NO_EDITS, shift: -1 }).bars.first).toBe(3);
  });

  it('follow the taps in a range that was tapped along to', () => {
    const double = steady(200, 40, beats[8]);
    const found = fitPulse(heard, { ...NO_EDITS, taps: [double] });
    const within = found.beats.filter((b) => b.at > double[4]! && b.at < double[34]!);
    expect(farthest(within, double.slice(6, 32))).toBeLessThan(0.03);
  });

  it('are as long as two taps say, also where the grid counts in another unit', () => {
    const plain = hear(spectrumOf([band(steady(150, 100), 4, 42)], RATE));
    expect(plain.grid.steady).toBe(true);
    // Five in the time of four: no plain multiple of the grid is near.
    const { beats } = fitPulse(plain, { ...NO_EDITS, taps: [[20.52, 20.985]] });
    const gaps = beats.slice(1).map((b, i) => b.at - beats[i]!.at);
    for (const gap of gaps) expect(gap).toBeCloseTo(0.5, 3);
    expect(Math.min(...beats.map((b) => Math.abs(b.at - 20.5)))).toBeLessThan(0.06);
  });

  it('follow a tempo that changes to one in a simple ratio, with which it shares every fourth stroke', () => {
    const slow = steady(120, 40);
    const fast = steady(150, 120, slow.at(-1)! + 0.5);
    const again = steady(120, 40, fast.at(-1)! + 0.4);
    const all = [...slow, ...fast, ...again];
    const twice = hear(spectrumOf([band(all, 4, all.at(-1)! + 1)], RATE));
    expect(twice.grid.steady).toBe(false);
    const { beats } = fitPulse(twice, NO_EDITS);
    expect(all.filter((at) => beats.some((b) => Math.abs(b.at - at) < 0.07)).length / all.length).toBeGreaterThan(0.9);
  });
});
