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

const shifted = (take: ReadTake, by: number): ReadTake => ({
  ...take,
  notes: take.notes.map((n) => ({ ...n, start: n.start + by, end: n.end + by })),
  controls: take.controls.map((c) => ({ ...c, at: c.at + by })),
});

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

  it.each([40, -55, 140, -240])('say once of a take that is %d ms late throughout that it is, and no more', (ms) => {
    const made = madeTakes({ takes: 5, bars: 24, bpm: 112, looseness: 10, seed: 3, slips: 0 }).takes;
    const before = compareTakes(made, 24, tempo, meter);
    const late = made.map((t, i) => (i === 2 ? shifted(t, (ms / 1000) * 2 * 960) : t));
    const after = compareTakes(late, 24, tempo, meter);
    const slips = (of: typeof after, id: string) => [...of.bars.get(id)!.values()].flatMap((b) => b.slips);
    const own = slips(after, made[2]!.id);
    expect(own.filter((s) => s.whole)).toMatchObject([{ kind: ms > 0 ? 'late' : 'early', bar: 1 }]);
    expect(Math.abs(after.lags.get(made[2]!.id)! - ms)).toBeLessThan(6);
    expect(own.length - 1).toBeLessThanOrEqual(slips(before, made[2]!.id).length + 1);
    made.forEach((t, i) => {
      if (i !== 2) expect(slips(after, t.id).length).toBeLessThanOrEqual(slips(before, t.id).length + 1);
    });
  });

  it('say once of a take that lies a bar off that it does, and hold its notes against the right bars', () => {
    const made = madeTakes({ takes: 4, bars: 24, bpm: 112, looseness: 10, seed: 5, slips: 0 }).takes;
    const off = made.map((t, i) => (i === 1 ? { ...shifted(t, 3840), from: 3840, to: 25 * 3840 } : t));
    const { bars, lags } = compareTakes(off, 25, tempo, meter);
    expect(lags.get(made[1]!.id)! / 1000).toBeCloseTo(2, 1);
    const own = [...bars.get(made[1]!.id)!.values()].flatMap((b) => b.slips);
    expect(own.filter((s) => s.whole)).toHaveLength(1);
    expect(own.length).toBeLessThan(6);
  });

  it('ask about a bar that one of a few takes plays in its own way, and call it no slip', () => {
    const other = (): number[] => [72, 74, 76, 77];
    const { bars } = compareTakes(takesOf(same, same, same, other), 1, tempo, meter);
    expect(bars.get('t4')!.get(1)).toMatchObject({ slips: [], variation: true, alone: true });
    expect(bars.get('t1')!.get(1)).toMatchObject({ slips: [], variation: false, alone: false });
    // One wrong note is a slip as before.
    const wrong = ([a, b, c]: number[]): number[] => [a!, b!, c!, 66];
    expect(slipsOf(takesOf(same, same, same, wrong), 't4')).toEqual([['wrong', 66, 65]]);
  });

  it('say which phrase is far softer or louder than in all others, and not that a take is soft throughout', () => {
    const made = madeTakes({ takes: 4, bars: 16, bpm: 112, looseness: 8, seed: 9, slips: 0 }).takes;
    const touched = (t: ReadTake, by: (bar: number) => number): ReadTake => ({
      ...t,
      notes: t.notes.map((n) => ({ ...n, velocity: Math.max(1, n.velocity + by(Math.floor(n.start / 3840) + 1)) })),
    });
    const kinds = (takes: readonly ReadTake[]) =>
      [...compareTakes(takes, 16, tempo, meter).bars.get(made[0]!.id)!].flatMap(([bar, { slips }]) =>
        slips.filter((s) => s.kind === 'softer' || s.kind === 'louder').map((s) => [s.kind, bar]),
      );
    const phrase = made.map((t, i) => (i === 0 ? touched(t, (bar) => (bar === 5 || bar === 6 ? -40 : 0)) : t));
    expect(kinds(phrase).length).toBeGreaterThan(0);
    for (const [kind, bar] of kinds(phrase)) {
      expect(kind).toBe('softer');
      expect([5, 6]).toContain(bar);
    }
    expect(kinds(made.map((t, i) => (i === 0 ? touched(t, () => -40) : t)))).toEqual([]);
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
