import { describe, expect, it } from 'vitest';
import { reading } from '../testing/arbitraries';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { SHIPPED_FEELS } from './feel';
import type { Treatment } from './treatments';
import type { Decided } from './unitLines';
import { treat, treatedSoFar } from './treatment';

const clock = { tempo: tempoMap([{ tick: 0, bpm: 125 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
/** At 125 to the minute two ticks are a millisecond. */
const MS = 2;

const note = (start: number, end: number, key = 60, velocity = 80) => ({
  ...{ id: `layer:${key * 100_000 + Math.round(start)}`, key, velocity, release: 64, start, end },
});
const over = (rest: Partial<Treatment> = {}): Treatment => ({
  ...{ id: 't', from: 0, to: 100_000, grid: '16 straight', strength: 1, ends: 'keep length' },
  ...rest,
});
const treated = (notes: readonly ReturnType<typeof note>[], rest: Partial<Treatment> = {}, decided?: Decided) =>
  treat(reading(notes), [over(rest)], clock, decided).notes;
const starts = (...given: Parameters<typeof treated>) => treated(...given).map((n) => Math.round(n.start * 10) / 10);

describe('a treatment', () => {
  it('pulls a start part of the way to its line', () => {
    expect(starts([note(980, 1200)], { strength: 0.5 })).toEqual([970]);
  });

  it.each([
    ['keep length', 1180],
    ['keep end', 1200],
    ['snap length', 1200],
    ['snap end', 1200],
  ] as const)('with "%s" ends at %d', (ends, end) => {
    expect(treated([note(980, 1200)], { ends })[0]).toMatchObject({ start: 960, end });
  });

  it('moves ends by a strength of their own', () => {
    expect(treated([note(980, 1100)], { ends: 'snap end', strength: 0, endStrength: 0.5 })[0]).toMatchObject({
      ...{ start: 980, end: 1150 },
    });
  });

  it('keeps what was played underneath', () => {
    expect(treated([note(980, 1200)])[0]!.played).toMatchObject({ start: 980, end: 1200 });
  });

  it('is shown as far as it is known while lines are found: what stays where it went, what changed as played', () => {
    const [stays, changes] = [note(980, 1200), note(1930, 2100)];
    const before = treat(reading([stays, changes]), [over()], clock);
    const moved = { ...changes, start: 1990, end: 2160 };
    const now = treatedSoFar(reading([stays, moved]), before);
    expect(now.notes[0]).toBe(before.notes[0]);
    expect(now.notes[1]).toMatchObject({ start: 1990, end: 2160, played: { start: 1990 } });
    expect(treatedSoFar(reading([stays]), undefined).notes[0]).toMatchObject({ start: 980, end: 1200 });
  });

  it('makes no new overlap on a key', () => {
    const both = treated([note(0, 1069), note(1070, 1900)], { ends: 'snap length', grid: '4 straight' });
    expect(both[0]!.end).toBeLessThanOrEqual(both[1]!.start);
  });

  it('leaves an end that the hand has set where it is, and starts no later than before it', () => {
    const set = (start: number, end: number) => ({ ...note(start, end), fixed: 'end' as const });
    expect(treated([set(920, 1000)])[0]).toMatchObject({ start: 960, end: 1000 });
    expect(treated([set(920, 960)])[0]).toMatchObject({ start: 930, end: 960 });
    expect(treated([set(920, 935)])[0]).toMatchObject({ start: 920, end: 935 });
  });

  it('lets what rings over a note as played ring over no other', () => {
    const [first] = treated([note(980, 1990), note(1500, 1700), note(1995, 2300)], { ends: 'snap end' });
    expect(first!.end).toBe(1920);
    const [long] = treated([note(940, 1990), note(1500, 1700), note(1995, 2300)]);
    expect(long!.end).toBe(1920);
  });

  it('looks at few pairs of notes on a key that is never let go', () => {
    let looks = 0;
    const played = Array.from({ length: 3000 }, (_, i) => ({
      ...note(i * 60 + 7, 200_000, 42),
      get start() {
        looks += 1;
        return i * 60 + 7;
      },
    }));
    expect(treat(reading(played), [over({ to: 400_000, ends: 'keep end' })], clock).notes).toHaveLength(3000);
    expect(looks).toBeLessThan(3000 * 200);
  });

  it('swings eighths by a per cent of the pair', () => {
    const eighths = [note(10, 400), note(470, 900), note(970, 1300), note(1450, 1900)];
    expect(starts(eighths, { grid: '8 straight', swing: { percent: 66, of: 8 } })).toEqual([0, 633.6, 960, 1593.6]);
    // Triplets in the same recipe stay where they are.
    expect(starts([note(330, 500)], { grid: '8 triplet', swing: { percent: 60, of: 8 } })).toEqual([320]);
  });

  it('puts everything earlier or later by milliseconds', () => {
    expect(starts([note(970, 1200)], { offset: 15 })).toEqual([960 + 15 * MS]);
    expect(starts([note(970, 1200)], { offset: -15, strength: 0 })).toEqual([970 - 15 * MS]);
  });

  it('leaves alone what is near enough to its line, or too far from it', () => {
    const notes = [note(960 + 5 * MS, 1200), note(1920 + 20 * MS, 2200), note(2880 + 45 * MS, 3200)];
    expect(starts(notes, { within: 10 })).toEqual([970, 1920, 2880]);
    expect(starts(notes, { beyond: 30 })).toEqual([960, 1920, 2970]);
  });

  it('moves a chord as one, and keeps its roll', () => {
    const roll = [note(990, 2000, 60), note(1030, 2000, 64), note(1090, 2000, 67)];
    expect(starts(roll, { chord: 60, lines: 'phrase' })).toEqual([960, 1000, 1060]);
    expect(starts(roll, { chord: 60 })).toEqual([960, 1000, 1060]);
    expect(starts(roll)).toEqual([960, 960, 1200]);
  });

  it('of two grids takes the one that the beat follows', () => {
    const beat = [note(5, 200), note(315, 500), note(645, 800), note(955, 1100), note(1205, 1300), note(1690, 1900)];
    expect(starts(beat, { lines: 'phrase', second: '8 triplet' })).toEqual([0, 320, 640, 960, 1200, 1680]);
  });

  it('brings touch towards a level, and its range together or apart', () => {
    const notes = [note(0, 100, 60, 60), note(480, 600, 62, 100)];
    const touch = (rest: Treatment['touch']) => treated(notes, { touch: rest }).map((n) => n.velocity);
    expect(touch({ level: 90, strength: 0.5 })).toEqual([75, 95]);
    expect(touch({ range: 0.5 })).toEqual([70, 90]);
    expect(touch({ range: 2 })).toEqual([40, 120]);
    expect(treated(notes, { touch: { range: 0.5 } })[0]!.played.velocity).toBe(60);
  });

  it('lays a feel on its lines', () => {
    const feel = SHIPPED_FEELS.find((f) => f.name === 'Lazy sixteenths')!;
    const moved = starts([note(5, 100), note(245, 300)], { feel: { feel, timing: 1, touch: 0 } });
    expect(moved).toEqual([0, 240 + 16 * MS]);
  });

  it('scatters by its seed: the same for the same, and another for another', () => {
    const notes = [note(0, 100), note(480, 600), note(960, 1100)];
    const loose = (seed: number, of = notes) => starts(of, { loose: { spread: 10, seed } });
    expect(loose(1)).toEqual(loose(1));
    expect(loose(1)).not.toEqual(loose(2));
    // A note that is gone changes nothing of the others.
    expect(loose(1, notes.slice(1))).toEqual(loose(1).slice(1));
  });

  it('steadies a hand that is late throughout, and leaves its unevenness', () => {
    const late = Array.from({ length: 32 }, (_, i) => {
      const at = i * 480 + 30 * MS + (i % 2 ? 6 : -6) * MS;
      return note(at, at + 300, 60 + (i % 5));
    });
    const small = treated(late, { way: 'steady', lines: 'phrase' }).map((n, i) => (n.start - i * 480) / MS);
    small.forEach((ms, i) => expect(Math.abs(ms - (i % 2 ? 6 : -6))).toBeLessThan(2));
  });

  it('does what was decided, whatever the recipe', () => {
    const notes = [note(980, 1100), note(1310, 1500)];
    const id = notes[1]!.id;
    expect(starts(notes)).toEqual([960, 1200]);
    expect(starts(notes, {}, new Map([[id, 1440]]))).toEqual([960, 1440]);
    expect(starts(notes, { grid: '4 straight' }, new Map([[id, 1440]]))).toEqual([960, 1440]);
    expect(starts(notes, { lines: 'phrase' }, new Map([[id, 'played']]))).toEqual([960, 1310]);
  });

  it('lets two notes of a key that meet on one line both be heard', () => {
    const met = treated([note(950, 1000), note(1010, 1200)]);
    expect(met.map((n) => n.start)).toEqual([960, 990]);
    expect(met[0]!.end).toBeLessThanOrEqual(990);
  });
});
