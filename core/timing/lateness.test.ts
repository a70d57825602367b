import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { reading } from '../testing/arbitraries';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { slowDrift } from './drift';
import type { Treatment } from './treatments';
import { figuresOf, histogramOf, latenessOf, isDriftTold } from './lateness';
import { treat } from './treatment';

// Two ticks are a millisecond.
const clock = { tempo: tempoMap([{ tick: 0, bpm: 125 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
const RANGE = { from: 0, to: 100_000 };
const late = Array.from({ length: 32 }, (_, i): Note => {
  const start = i * 480 + (i % 2 ? 40 : 10);
  return { id: `n:${i}`, key: 60 + (i % 7), velocity: 80, release: 64, start, end: start + 200 };
});

it('notes are early or late against their line, as they were played and as they lie now', () => {
  const t: Treatment = { id: 't', ...RANGE, grid: '16 straight', strength: 0.5, ends: 'keep length' };
  const all = latenessOf(reading(late), treat(reading(late), [t], clock), [t], clock, RANGE);
  expect(all.map((l) => Math.round(l.ms))).toEqual(late.map((_, i) => (i % 2 ? 20 : 5)));
  expect(all.map((l) => Math.round(l.now * 10) / 10)).toEqual(late.map((_, i) => (i % 2 ? 10 : 2.5)));
  expect(all.filter((l) => l.inBar % 960 === 480).every((l) => Math.round(l.ms) === 20)).toBe(true);
  const { count, median, spread } = figuresOf(all.map((l) => l.ms));
  expect([count, Math.round(median * 10), Math.round(spread * 10)]).toEqual([32, 125, 75]);
});

it('without a treatment they are held against a grid', () => {
  const all = latenessOf(reading(late), treat(reading(late), [], clock), [], clock, RANGE);
  expect(all.map((l) => Math.round(l.now))).toEqual(late.map((_, i) => (i % 2 ? 20 : 5)));
});

it('a histogram counts all, what lies far out in its outermost steps', () => {
  expect(histogramOf([-100, -59, -1, 0, 1, 59, 100], 60, 4)).toEqual([2, 1, 2, 2]);
});

it('drift is the slow part: an offset whole, a lean by place and chance not at all', () => {
  const at = Float64Array.from({ length: 400 }, (_, i) => i / 4);
  const slow = at.map((t) => 0.02 * Math.sin(t / 8));
  const off = slow.map((s, i) => s + 0.03 + (i % 4 === 1 ? 0.012 : 0) + 0.006 * Math.sin(i * 12.9898));
  const found = slowDrift(
    at,
    off,
    Array.from(at, (_, i) => i % 4),
  );
  const middle = found.reduce((s, d, i) => s + d - slow[i]!, 0) / at.length;
  expect(middle).toBeCloseTo(0.033, 2);
  found.forEach((d, i) => expect(Math.abs(d - slow[i]! - middle)).toBeLessThan(0.006));
  expect(
    slowDrift(
      at,
      at.map(() => 0.04),
      Array.from(at, () => 0),
    ).every((d) => Math.abs(d - 0.04) < 1e-12),
  ).toBe(true);
  expect(slowDrift(new Float64Array(0), new Float64Array(0), [])).toHaveLength(0);
});

describe('a drift', () => {
  it('is told where it differs over the part, and not where a hand lies off by the same throughout', () => {
    expect(isDriftTold([])).toBe(false);
    expect(isDriftTold([{ drift: 12 }, { drift: 12.2 }])).toBe(false);
    expect(isDriftTold([{ drift: 12 }, { drift: 9 }])).toBe(true);
  });
});
