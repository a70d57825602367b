import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { meterChanges, tempoChanges } from '../testing/arbitraries';
import { barAt, barStart, meterAt, meterMap } from '../time/meter';
import { secondsAt, tempoMap } from '../time/tempo';
import { countOff } from './count';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

const tempo = tempoMap([{ tick: 0, bpm: 120 }]);

describe('a count-off', () => {
  it('of two bars before bar 1 counts eight beats down, the bars accented', () => {
    const count = countOff(tempo, meter, 0, 2);
    expect(count.from).toBe(-4);
    expect(count.beats.map((b) => b.at)).toEqual([-4, -3.5, -3, -2.5, -2, -1.5, -1, -0.5]);
    expect(count.beats.map((b) => b.left)).toEqual([8, 7, 6, 5, 4, 3, 2, 1]);
    expect(count.beats.filter((b) => b.accent === 'bar').map((b) => b.at)).toEqual([-4, -2]);
  });

  it('keeps the meter and tempo that hold where the music starts', () => {
    const changing = tempoMap([
      { tick: 0, bpm: 60 },
      { tick: 3840, bpm: 120 },
    ]);
    const sixEight = meterMap([
      { bar: 1, beats: 4, unit: 4 },
      { bar: 2, beats: 6, unit: 8 },
    ]);
    const count = countOff(changing, sixEight, 3840, 1);
    expect(count.beats.map((b) => b.at)).toEqual([4 - 1.5, 4 - 1.25, 3, 3.25, 3.5, 3.75]);
    expect(count.beats.map((b) => b.accent)).toEqual(['bar', 'beat', 'beat', 'group', 'beat', 'beat']);
  });

  it('leads into the middle of a bar without breaking the pulse', () => {
    const count = countOff(tempo, meter, 3840 + 1920, 1);
    expect(count.beats.map((b) => b.at)).toEqual([1, 1.5, 2, 2.5]);
    expect(count.beats.map((b) => b.accent)).toEqual(['beat', 'beat', 'bar', 'beat']);
    expect(countOff(tempo, meter, 3840 + 480, 1).beats.map((b) => b.at)).toEqual([0.5, 1, 1.5, 2]);
  });

  it('is a steady pulse into any place of any song, in a ramp as well, at the pace that the music starts with', () => {
    fc.assert(
      fc.property(
        tempoChanges(),
        meterChanges,
        fc.nat(600_000),
        fc.integer({ min: 1, max: 4 }),
        fc.boolean(),
        (changes, bars, start, n, byBeats) => {
          // Ramps of at least a hundred ticks, for the pace to be one.
          const map = tempoMap(changes.map((c) => ({ ...c, tick: c.tick * 100 })));
          const maps = meterMap(bars);
          const there = meterAt(maps, start);
          const { from, beats } = byBeats ? countOff(map, maps, start, 1, n) : countOff(map, maps, start, n);
          const begin = secondsAt(map, start);
          // The pace is read off the first thousandth of a tick of the music itself.
          const pace = (secondsAt(map, start + 0.001) - begin) * 1000 * there.ticksPerBeat;
          const count = byBeats ? n : n * there.beats;
          const close = (a: number, b: number) => expect(Math.abs(a - b)).toBeLessThan(1e-4 * count * pace);
          close(from, begin - count * pace);
          beats.forEach((b, i) => {
            if (i > 0) close(b.at - beats[i - 1]!.at, pace);
          });
          expect(beats.map((b) => b.left)).toEqual(Array.from({ length: count }, (_, i) => count - i));
          // The next stroke would fall on the beat line at or after the start.
          const intoBeat = (start - barStart(maps, barAt(maps, start))) % there.ticksPerBeat;
          close(beats.at(-1)!.at + pace, begin + (intoBeat ? 1 - intoBeat / there.ticksPerBeat : 0) * pace);
        },
      ),
    );
  });

  it('of no bars is no count', () => {
    expect(countOff(tempo, meter, 3840, 0)).toEqual({ from: 2, beats: [] });
  });
});
