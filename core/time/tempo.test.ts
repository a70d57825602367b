import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { tempoChanges } from '../testing/arbitraries';
import { bpmAt, secondsAt, tempoMap, tickAt } from './tempo';

describe('a tempo map', () => {
  it('gives a quarter note half a second at 120', () => {
    const map = tempoMap([{ tick: 0, bpm: 120 }]);
    expect(secondsAt(map, 960)).toBe(0.5);
    expect(tickAt(map, 0.5)).toBe(960);
  });

  it('holds its first tempo before bar 1', () => {
    const map = tempoMap([
      { tick: 0, bpm: 60 },
      { tick: 3840, bpm: 120 },
    ]);
    expect(secondsAt(map, -1920)).toBe(-2);
    expect(tickAt(map, -2)).toBe(-1920);
  });

  it('counts seconds from tick 0 when its first change stands elsewhere', () => {
    const map = tempoMap([{ tick: 1920, bpm: 60 }]);
    expect(secondsAt(map, 0)).toBe(0);
    expect(secondsAt(map, 1920)).toBe(2);
  });

  it('jumps at once', () => {
    const map = tempoMap([
      { tick: 0, bpm: 60 },
      { tick: 960, bpm: 120 },
    ]);
    expect(secondsAt(map, 1920)).toBe(1.5);
    expect(bpmAt(map, 959)).toBe(60);
    expect(bpmAt(map, 960)).toBe(120);
  });

  it('ramps by the integral of the tempo, not by its average', () => {
    const map = tempoMap([
      { tick: 0, bpm: 60, ramp: 'linear' },
      { tick: 3840, bpm: 120 },
    ]);
    // 60/slope · ln(end/start), the slope being 15 bpm a quarter.
    expect(secondsAt(map, 3840)).toBeCloseTo(4 * Math.LN2, 12);
    expect(bpmAt(map, 1920)).toBe(90);
    // Against a sum of ten thousand slivers.
    let sum = 0;
    for (let i = 0; i < 10_000; i += 1) sum += (3840 / 10_000 / 960) * (60 / bpmAt(map, ((i + 0.5) * 3840) / 10_000));
    expect(secondsAt(map, 3840)).toBeCloseTo(sum, 6);
  });

  it('takes the later of two changes on one tick', () => {
    expect(
      bpmAt(
        tempoMap([
          { tick: 0, bpm: 60 },
          { tick: 0, bpm: 90 },
        ]),
        0,
      ),
    ).toBe(90);
  });

  it('refuses what cannot be played', () => {
    expect(() => tempoMap([])).toThrow(RangeError);
    expect(() => tempoMap([{ tick: 0, bpm: 0 }])).toThrow(RangeError);
    expect(() => tempoMap([{ tick: 0, bpm: Number.NaN }])).toThrow(RangeError);
  });

  it('is undone by its inverse, anywhere', () => {
    fc.assert(
      fc.property(tempoChanges(), fc.integer({ min: -20_000, max: 600_000 }), (changes, tick) => {
        const map = tempoMap(changes);
        expect(Math.abs(tickAt(map, secondsAt(map, tick)) - tick)).toBeLessThan(1e-5);
      }),
    );
  });

  it('never runs backwards', () => {
    fc.assert(
      fc.property(
        tempoChanges(),
        fc.integer({ min: -5000, max: 500_000 }),
        fc.integer({ min: 1, max: 5000 }),
        (changes, tick, more) => {
          const map = tempoMap(changes);
          expect(secondsAt(map, tick + more)).toBeGreaterThan(secondsAt(map, tick));
        },
      ),
    );
  });
});
