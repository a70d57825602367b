import { describe, expect, it } from 'vitest';
import { LoudnessMeter, type Levels } from './loudness';

const RATES = [44_100, 48_000, 96_000];

/** Measures in pieces, as sound comes. */
function measured(rate: number, seconds: number, sample: (t: number, i: number) => readonly number[]): Levels {
  const channels = sample(0, 0).length;
  const meter = new LoudnessMeter(rate, channels);
  const PIECE = 4096;
  for (let at = 0; at < rate * seconds; at += PIECE) {
    const sides = Array.from({ length: channels }, () => new Float32Array(Math.min(PIECE, rate * seconds - at)));
    for (let i = 0; i < sides[0]!.length; i += 1)
      sample((at + i) / rate, at + i).forEach((v, c) => {
        sides[c]![i] = v;
      });
    meter.add(sides);
  }
  return meter.levels();
}
const sine = (hz: number, level: number) => (t: number) => level * Math.sin(2 * Math.PI * hz * t);

describe('loudness', () => {
  it('of a full-scale 997 Hz sine in one channel is −3.01 LUFS, at every rate', () => {
    for (const rate of RATES) {
      const { loudness, truePeak } = measured(rate, 4, (t) => [sine(997, 1)(t), 0]);
      expect(Math.abs(loudness - -3.01)).toBeLessThan(0.05);
      expect(Math.abs(truePeak)).toBeLessThan(0.05);
    }
  });

  it('of a stereo sine at −23 dBFS is −23 LUFS, and of one at −33 is −33', () => {
    for (const level of [-23, -33]) {
      const gain = 10 ** (level / 20);
      const { loudness } = measured(48_000, 10, (t) => [sine(1000, gain)(t), sine(1000, gain)(t)]);
      expect(Math.abs(loudness - level)).toBeLessThan(0.1);
    }
  });

  it('does not count what is ten below the rest, nor silence', () => {
    const gain = (t: number) => 10 ** ((t < 10 || t >= 70 ? -36 : -23) / 20);
    const { loudness } = measured(48_000, 80, (t) => [sine(1000, gain(t))(t), sine(1000, gain(t))(t)]);
    expect(Math.abs(loudness - -23)).toBeLessThan(0.1);
    expect(measured(48_000, 2, () => [0, 0])).toEqual({ peak: -Infinity, truePeak: -Infinity, loudness: -Infinity });
  });

  it('finds the peak that lies between samples', () => {
    // A quarter of the rate, struck halfway between samples: the samples reach 0.707 only.
    const between = (_: number, i: number) => [Math.sin((Math.PI / 2) * i + Math.PI / 4)];
    const { peak, truePeak } = measured(48_000, 1, between);
    expect(peak).toBeCloseTo(-3.01, 2);
    expect(Math.abs(truePeak)).toBeLessThan(0.3);
  });
});
