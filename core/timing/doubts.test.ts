import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { played, STYLES } from '../testing/players';
import { reading } from '../testing/arbitraries';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { doubtsOf } from './doubts';
import type { Treatment } from './treatments';
import { NOTHING_DECIDED, type Decided } from './unitLines';
import { treat } from './treatment';
import { doubtWords } from './words';

const clock = { tempo: tempoMap([{ tick: 0, bpm: 120 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
const note = (start: number, key = 60, length = 200): Note => ({
  ...{ id: `n:${key * 100_000 + start}`, key, velocity: 80, release: 64, start, end: start + length },
});
const over = (rest: Partial<Treatment> = {}): Treatment => ({
  ...{ id: 't', from: 0, to: 100_000, grid: '16 straight', lines: 'phrase', strength: 1, ends: 'keep length' },
  ...rest,
});
const doubts = (notes: readonly Note[], t = over(), decided: Decided = NOTHING_DECIDED) =>
  doubtsOf(reading(notes), treat(reading(notes), [t], clock, decided), [t], clock, decided);
const EIGHTHS = Array.from({ length: 64 }, (_, i) => note(i * 480 + (i % 3) * 4, 60 + (i % 5)));
const withStray = (at: number, key = 80) => [...EIGHTHS, note(at, key, 90)].sort((a, b) => a.start - b.start);

describe('notes that need an ear', () => {
  it('are those for which another line was nearly as likely, and both are said', () => {
    const [first] = doubts(withStray(3840 + 960 + 118));
    expect(first).toMatchObject({ why: 'another line', before: expect.any(Number) as number });
    expect([first!.line, first!.other].sort()).toEqual([4800, 5040]);
    expect(doubtWords(first!, clock.meter)).toBe('could be 2 or 2·2');
  });

  it('are none where all is clear, and none where nothing is moved', () => {
    expect(doubts(EIGHTHS)).toEqual([]);
    expect(doubts(withStray(4918), over({ strength: 0 }))).toEqual([]);
  });

  it('are not those that were decided', () => {
    const all = withStray(4918);
    const id = all.find((n) => n.key === 80)!.id;
    expect(doubts(all, over(), new Map([[id, 4800]])).flatMap((d) => d.notes.map((n) => n.id))).not.toContain(id);
  });

  it('are notes of a key that met on one line', () => {
    const met = doubts(
      [note(950), note(1010), ...EIGHTHS.map((n) => ({ ...n, start: n.start + 3840 }))],
      over({ lines: 'nearest' }),
    );
    expect(met[0]).toMatchObject({ why: 'met', line: 960 });
  });

  it('are one place a beat: the least sure note, and the others of the beat', () => {
    const both = [...withStray(4918), note(5160, 90, 90)].sort((a, b) => a.start - b.start);
    const here = doubts(both).filter((d) => d.line >= 4800 && d.line < 5760);
    expect(here).toHaveLength(1);
    const [place] = here;
    const more = place!.others.flatMap((o) => o.notes).length;
    expect(more).toBeGreaterThan(0);
    for (const other of place!.others) expect(other.doubt).toBeLessThanOrEqual(place!.doubt);
    expect(doubtWords(place!, clock.meter)).toContain(`, and ${more} more note`);
  });

  it('are chords that were torn', () => {
    const torn = doubts([note(1060, 60, 900), note(1100, 64, 900)], over({ lines: 'nearest' }));
    expect(torn.some((d) => d.why === 'torn')).toBe(true);
  });

  it('are at most four for a hundred notes, and the most doubtful come first', () => {
    for (const style of STYLES) {
      const { notes, recipe, tempo, meter } = played({ seed: 3, style, bpm: 160, bars: 30, noise: 30 });
      const t = over(recipe);
      const own = { tempo, meter };
      const all = doubtsOf(reading(notes), treat(reading(notes), [t], own), [t], own, NOTHING_DECIDED);
      expect(all.length).toBeLessThanOrEqual(Math.max(3, notes.length * 0.04));
      expect(all.length).toBeGreaterThan(0);
      all.slice(1).forEach((d, i) => expect(d.doubt).toBeLessThanOrEqual(all[i]!.doubt));
    }
  });
});
