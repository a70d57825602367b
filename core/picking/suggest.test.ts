import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { madeTakes } from '../testing/takes';
import { pick, type Pick } from '../takes/line';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { compareTakes } from './compare';
import type { ReadTake } from './slots';
import { isWorthSuggesting, suggestComp, whyWords } from './suggest';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const tempo = tempoMap([{ tick: 0, bpm: 120 }]);
const BARS = 8;
const sessionOf = (seed: number, takes: number) =>
  madeTakes({ takes, bars: BARS, bpm: 120, looseness: 12, seed, slips: 0.02 });
const suggested = (takes: readonly ReadTake[], marks = new Map<string, 'good' | 'no'>()) =>
  suggestComp(takes, compareTakes(takes, BARS, tempo, meter), marks, BARS, meter);

describe('a suggested comp', () => {
  it('is the same whatever order the takes lie in, covers what any take has, and accepting it twice is once', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 1, max: 5 }), fc.nat(4), (seed, count, turn) => {
        const takes = sessionOf(seed, count).takes;
        const comp = suggested(takes);
        expect(suggested([...takes.slice(turn % count), ...takes.slice(0, turn % count)])).toEqual(comp);
        expect([comp[0]!.from, comp.at(-1)!.to]).toEqual([0, BARS * 3840]);
        comp.slice(1).forEach((p, i) => expect(p.from).toBe(comp[i]!.to));
        const plain = comp.map(({ from, to, takeId, by }): Pick => ({ from, to, takeId, by }));
        const once = plain.reduce<Pick[]>(pick, []);
        expect(plain.reduce<Pick[]>(pick, once)).toEqual(once);
      }),
    );
  });

  it('drops no bar that some take has, wherever takes begin and end', () => {
    const covered = fc.tuple(fc.nat(30_720), fc.integer({ min: 1, max: 20_000 }));
    fc.assert(
      fc.property(fc.integer(), fc.array(covered, { minLength: 1, maxLength: 5 }), (seed, ranges) => {
        const whole = sessionOf(seed, ranges.length).takes;
        const takes = whole.map((take, i): ReadTake => {
          const [from, to] = [ranges[i]![0], Math.min(BARS * 3840, ranges[i]![0] + ranges[i]![1])];
          const notes = take.notes.filter((n) => n.start >= from && n.start < to);
          return { ...take, from, to, notes, controls: [] };
        });
        const comp = suggested(takes);
        comp.slice(1).forEach((p, i) => expect(p.from).toBeGreaterThanOrEqual(comp[i]!.to));
        for (let bar = 0; bar < BARS; bar += 1) {
          const [from, to] = [bar * 3840, (bar + 1) * 3840];
          const has = takes.some((t) => Math.min(t.to, to) - Math.max(t.from, from) > 0);
          if (has) expect(comp.some((p) => p.from < to && p.to > from)).toBe(true);
        }
      }),
    );
  });

  it('goes round a bar that has a slip, and says what it is', () => {
    const [a, b, c] = madeTakes({ takes: 3, bars: BARS, bpm: 120, looseness: 6, seed: 8, slips: 0 }).takes;
    const without = (take: ReadTake, bar: number): ReadTake => {
      const gone = take.notes.filter((n) => n.id.includes(`:${bar}:`)).slice(0, 2);
      return { ...take, notes: take.notes.filter((n) => !gone.includes(n)) };
    };
    const takes = [without(a!, 2), without(b!, 5), without(without(c!, 2), 7)];
    const comp = suggested(takes);
    const at = (bar: number) => comp.find((p) => p.from <= (bar - 0.5) * 3840 && p.to > (bar - 0.5) * 3840)!;
    expect(at(2).takeId).toBe(takes[1]!.id);
    expect(at(5).takeId).not.toBe(takes[1]!.id);
    const words = comp.map((p) => whyWords(p.why, (id) => id.slice(-1), meter));
    expect(words.some((w) => /^take \d has no [A-G]/.test(w))).toBe(true);
  });

  it('goes by what the player has marked', () => {
    const takes = madeTakes({ takes: 3, bars: BARS, bpm: 120, looseness: 6, seed: 8, slips: 0 }).takes;
    const [first] = suggested(takes);
    const comp = suggested(takes, new Map([[first!.takeId, 'no']]));
    expect(comp.every((p) => p.takeId !== first!.takeId)).toBe(true);
    const good = takes.find((t) => t.id !== first!.takeId)!.id;
    expect(suggested(takes, new Map([[good, 'good']])).map((p) => p.takeId)).toEqual([good]);
  });

  it('leaves out bars that no take has, and goes on behind them', () => {
    const takes = madeTakes({ takes: 3, bars: BARS, bpm: 120, looseness: 6, seed: 8, slips: 0 }).takes.map((t, i) => ({
      ...t,
      ...(i === 2 ? { from: 6 * 3840, to: 8 * 3840 } : { from: 0, to: 4 * 3840 }),
    }));
    const comp = suggested(takes);
    expect(comp.map((p) => [p.from / 3840, p.to / 3840])).toEqual([
      [0, 4],
      [6, 8],
    ]);
    expect(comp.at(-1)!.why).toEqual({ type: 'only' });
    expect(isWorthSuggesting(takes)).toBe(false);
    expect(suggested([])).toEqual([]);
  });
});
