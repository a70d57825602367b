import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { tempoChanges } from '../testing/arbitraries';
import { secondsAt, tempoMap } from './tempo';
import { tempoWarpBetween, warpRange } from './tempoWarp';

describe('a warp', () => {
  const at120 = tempoMap([{ tick: 0, bpm: 120 }]);
  const at60 = tempoMap([{ tick: 0, bpm: 60 }]);

  it('keeps the moment: half the tempo, half the ticks', () => {
    expect(tempoWarpBetween(at120, at60, 0)(1920)).toBeCloseTo(960, 9);
    expect(tempoWarpBetween(at120, at60, 1)(1920)).toBeCloseTo(1920, 9);
    expect(warpRange({ from: 0, to: 1920, name: 'x' }, tempoWarpBetween(at120, at60, 0))).toEqual({
      from: 0,
      to: 960,
      name: 'x',
    });
  });

  it('leads back exactly, whatever the tempos', () => {
    fc.assert(
      fc.property(tempoChanges(), tempoChanges(), fc.integer({ min: -4000, max: 80_000 }), (a, b, tick) => {
        const [from, to] = [tempoMap(a), tempoMap(b)];
        const there = tempoWarpBetween(from, to, 0.25)(tick);
        expect(secondsAt(to, there)).toBeCloseTo(secondsAt(from, tick) + 0.25, 6);
        expect(tempoWarpBetween(to, from, -0.25)(there)).toBeCloseTo(tick, 3);
      }),
    );
  });
});
