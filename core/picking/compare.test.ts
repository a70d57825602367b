import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { madeTakes } from '../testing/takes';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { compareTakes } from './compare';
import type { ReadTake } from './slots';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const tempo = tempoMap([{ tick: 0, bpm: 120 }]);
const note = (take: string, start: number, key: number, end = start + 400): Note => ({
  id: `${take}:${start}:${key}`,
  key,
  velocity: 80,
  release: 64,
  start,
  end,
});
/** Takes of one bar of quarters from C4 up, each changed in its own way. */
const takesOf = (...changes: ((keys: number[]) => number[])[]): ReadTake[] =>
  changes.map((change, i) => {
    const id = `t${i + 1}`;
    const keys = change([60, 62, 64, 65]);
    const notes = keys.flatMap((key, beat) => (key ? [note(id, beat * 960 + i * 7, key)] : []));
    return { id, from: 0, to: 3840, notes, controls: [] };
  });
const same = (keys: number[]) => keys;
const slipsOf = (takes: readonly ReadTake[], id: string) =>
  compareTakes(takes, 1, tempo, meter)
    .bars.get(id)!
    .get(1)!
    .slips.map((s) => [s.kind, s.key, s.meant]);

describe('takes held against each other', () => {
  it('say what one of them lacks, has too many of, or has wrong', () => {
    const takes = takesOf(
      same,
      same,
      same,
      ([a, , c, d]) => [a!, 0, c!, d!],
      ([a, b, , d]) => [a!, b!, 63, d!],
    );
    expect(slipsOf(takes, 't1')).toEqual([]);
    expect(slipsOf(takes, 't4')).toEqual([['missing', 62, undefined]]);
    expect(slipsOf(takes, 't5')).toEqual([['wrong', 63, 64]]);
  });

  it('say which phrase lies early or late', () => {
    const [a, b, c, d] = takesOf(same, same, same, same);
    const late = { ...d!, notes: d!.notes.map((n) => ({ ...n, start: n.start + 200, end: n.end + 200 })) };
    expect(slipsOf([a!, b!, c!, late], 't4').map(([kind]) => kind)).toEqual(['late', 'late', 'late', 'late']);
  });

  it('know what several play for a variation, and call it no slip', () => {
    const other = ([a, b]: number[]) => [a!, b!, 67, 69];
    const takes = takesOf(same, same, same, other, other);
    const { variations, bars } = compareTakes(takes, 1, tempo, meter);
    expect(variations).toEqual([
      {
        bar: 1,
        readings: [
          ['t1', 't2', 't3'],
          ['t4', 't5'],
        ],
      },
    ]);
    expect(bars.get('t4')!.get(1)).toMatchObject({ slips: [], variation: true });
  });

  it('say nothing of a bar that only two takes have', () => {
    const takes = takesOf(same, ([a, b, c]) => [a!, b!, c!, 0]);
    expect(slipsOf(takes, 't2')).toEqual([]);
  });

  it('say the same whatever order they come in', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 2, max: 6 }), fc.infiniteStream(fc.nat()), (seed, takes, random) => {
        const made = madeTakes({ takes, bars: 6, bpm: 120, looseness: 15, seed, slips: 0.03 }).takes;
        const shuffled = [...made].map((t) => [t, random.next().value] as const).sort((a, b) => a[1] - b[1]);
        const outcome = (given: readonly ReadTake[]) => {
          const { bars, variations } = compareTakes(given, 6, tempo, meter);
          return [[...bars].map(([id, all]) => [id, [...all]]), variations];
        };
        expect(outcome(shuffled.map(([t]) => t))).toEqual(outcome(made));
      }),
    );
  });
});
