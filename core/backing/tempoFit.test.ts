import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { secondsAt, tempoMap } from '../time/tempo';
import { fitTempo, tempoThrough, WITH_THEM } from './tempoFit';
import { real } from '../testing/realNumbers';

const steady = (bpm: number, count: number, from = 0.5) =>
  Array.from({ length: count }, (_, i) => from + (i * 60) / bpm);

describe('a tempo map from beats', () => {
  it('stays with every beat, and needs one tempo for a steady one', () => {
    expect(tempoThrough(steady(93.7, 200), 960, 0)).toHaveLength(1);
    fc.assert(
      fc.property(
        fc.array(real(0.3, 1.2), { minLength: 3, maxLength: 60 }),
        fc.integer({ min: 0, max: 3 }),
        (gaps, first) => {
          const beats = gaps.reduce<number[]>((all, gap) => [...all, all.at(-1)! + gap], [0.7]);
          const fitted = fitTempo({
            beats: beats.map((at) => ({ at, sure: 1 })),
            bars: { first: Math.min(first, beats.length - 1), meter: { pulses: 4, beats: 4, unit: 4 }, sure: 1 },
          })!;
          const map = tempoMap(fitted.tempo);
          const start = Math.min(first, beats.length - 1);
          beats.forEach((at, i) =>
            expect(Math.abs(secondsAt(map, (i - start) * 960) - fitted.offset - at)).toBeLessThan(WITH_THEM + 1e-9),
          );
          expect(secondsAt(map, 0) - fitted.offset).toBeCloseTo(beats[start]!, 9);
        },
      ),
    );
  });

  it('says nothing from nothing', () => {
    expect(
      fitTempo({ beats: [], bars: { first: 0, meter: { pulses: 4, beats: 4, unit: 4 }, sure: 0 } }),
    ).toBeUndefined();
  });
});
