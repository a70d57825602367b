import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { differencesOf, differenceWords } from './takeDifferences';
import type { ReadTake } from './slots';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const tempo = tempoMap([{ tick: 0, bpm: 120 }]);
const note = (key: number, start: number, velocity = 80): Note => ({
  id: `${key}:${start}`,
  key,
  velocity,
  release: 64,
  start,
  end: start + 400,
});
const take = (id: string, notes: Note[]): ReadTake => ({ id, from: 0, to: 7680, notes, controls: [] });
const steady = [0, 960, 1920, 2880, 3840, 4800].map((at, i) => note(60 + i, at));
const wordsOf = (mine: Note[], theirs: Note[]) =>
  differencesOf(take('a', mine), take('b', theirs), { from: 0, to: 7680 }, tempo, meter).map((d) =>
    differenceWords(d, meter),
  );

describe('two takes against each other', () => {
  it('that are alike say nothing', () => expect(wordsOf(steady, steady)).toEqual([]));

  it('say what is missing, too many, of another pitch, off in time, and harder or softer', () => {
    const mine = [
      note(60, 0),
      note(62, 960),
      { ...note(62, 2040), start: 2040 },
      note(63, 2880, 110),
      note(64, 3840),
      note(65, 4800, 50),
      note(72, 5300),
    ];
    const theirs = [...steady, note(67, 6000)];
    expect(wordsOf(mine, theirs)).toEqual([
      '1 · 2: D4 for C♯4',
      '1 · 3: D4 63 ms later',
      '1 · 4: E♭4 harder, by 30',
      '2 · 2: F4 softer, by 30',
      '2 · 2: C5 too many',
      '2 · 3: no G4',
    ]);
  });
});
