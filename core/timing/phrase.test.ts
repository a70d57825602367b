import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { played, STYLES, type PlayerSettings } from '../testing/players';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { linedUp } from './unitLines';
import type { Recipe } from './recipe';

const clock = { tempo: tempoMap([{ tick: 0, bpm: 120 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
const RANGE = { from: 0, to: 1_000_000 };
const note = (start: number, key = 60, length = 200): Note => ({
  ...{ id: `n:${key * 100_000 + start}`, key, velocity: 80, release: 64, start, end: start + length },
});
const linesOf = (notes: readonly Note[], recipe: Partial<Recipe> = {}) => {
  const whole: Recipe = { grid: '16 straight', lines: 'phrase', strength: 1, ends: 'keep length', ...recipe };
  const { units, lattice } = linedUp(notes, whole, clock, RANGE);
  const found = new Map(units.flatMap((u) => u.notes.map((n) => [n.id, lattice.tick[u.line]!] as const)));
  return notes.map((n) => found.get(n.id)!);
};

/** Notes on the wrong line, each by its nearest and by the phrase, in so many worlds. */
function wrong(settings: Omit<PlayerSettings, 'seed'>, seeds = 4): { nearest: number; phrase: number; of: number } {
  const sum = { nearest: 0, phrase: 0, of: 0 };
  for (let seed = 1; seed <= seeds; seed += 1) {
    const { notes, meant, recipe, tempo, meter } = played({ seed, ...settings });
    const count = (r: Recipe): number => {
      const { units, lattice } = linedUp(notes, r, { tempo, meter }, RANGE);
      return units.reduce(
        (n, u) => n + u.notes.filter((m) => Math.abs(lattice.tick[u.line]! - meant.get(m.id)!) > 1).length,
        0,
      );
    };
    sum.nearest += count({ ...recipe, lines: 'nearest', chord: 0 });
    sum.phrase += count(recipe);
    sum.of += notes.length;
  }
  return sum;
}

describe('a phrase', () => {
  it('goes with a hand that rushes, where the nearest line is another one', () => {
    // Sixteenths that come ever earlier, to more than half of one at the end.
    const rushed = Array.from({ length: 33 }, (_, i) => note(3840 + i * 240 - Math.round(i * 4.2), 60 + (i % 7)));
    const lines = rushed.map((_, i) => 3840 + i * 240);
    expect(linesOf(rushed)).toEqual(lines);
    expect(linesOf(rushed, { lines: 'nearest' })).not.toEqual(lines);
  });

  it('keeps the order of notes, and no two of one key on a line', () => {
    const lines = linesOf([note(0), note(130, 62), note(250, 64), note(355, 65), note(480, 67)]);
    expect(lines).toEqual([...lines].sort((a, b) => a - b));
    expect(new Set(linesOf([note(100), note(140)])).size).toBe(2);
  });

  it('lets a grace note go where the note goes that it leans on', () => {
    const main = note(960, 64, 400);
    expect(linesOf([note(0), note(480), note(850, 62, 60), main, note(1440)], { chord: 60 })[2]).toBe(960);
  });

  it('knows grace notes by their shortness where sixteenths are as near, and short sixteenths are none', () => {
    const { phrase, of } = wrong({ style: 'grace notes', bpm: 145, bars: 32, noise: 8 });
    expect(phrase / of).toBeLessThan(0.01);
    const short = wrong({ style: 'runs', bpm: 145, bars: 32, noise: 8, held: 0.4 });
    expect(short.phrase / short.of).toBeLessThan(0.005);
  });

  it('follows the meter that a beat is played in, of two', () => {
    const beats = [0, 240, 480, 720, 960, 1290, 1610, 1920, 2160, 2400, 2640].map((t, i) => note(t, 60 + (i % 5)));
    expect(linesOf(beats, { second: '8 triplet' })).toEqual([
      ...[0, 240, 480, 720, 960, 1280, 1600, 1920, 2160, 2400, 2640],
    ]);
  });

  it.each(STYLES)('of %s has fewer notes on the wrong line than nearest has', (style) => {
    const { nearest, phrase } = wrong({ style, bpm: 120, bars: 24, noise: 14 });
    expect(phrase).toBeLessThan(nearest);
  });

  it('of sixteenths at 120 with 20 ms of noise has under one in a hundred wrong', () => {
    const { phrase, of } = wrong({ style: 'sixteenths', bpm: 120, bars: 40, noise: 20 }, 6);
    expect(phrase / of).toBeLessThan(0.01);
  });
});

describe('a hand that strays far', () => {
  it.each(['both', 'swing'] as const)('is followed, and not put to the next line: %s', (style) => {
    // By up to a tenth of a second: two lines of that grid lie nearer together.
    const { phrase, of } = wrong({ style, bpm: 100, bars: 64, noise: 8, drift: 45 }, 4);
    expect(phrase / of).toBeLessThan(0.03);
  });
});
