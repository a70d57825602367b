import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { session, type Session, type SessionSettings } from '../testing/sessionPlayers';
import { meterMap } from '../time/meter';
import { secondsAt, tempoMap } from '../time/tempo';
import { linedUp } from './unitLines';
import { USUAL, type Recipe } from './recipe';
import { treat, type TreatedNote } from './treatment';

const RANGE = { from: 0, to: 4_000_000 };
// At 125 a tick is half a millisecond.
const clock = { tempo: tempoMap([{ tick: 0, bpm: 125 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
const TICKS = 2;

/** Notes told by key, onset and length in milliseconds after a place. */
const notesAt = (place: number, told: readonly (readonly [key: number, ms: number, length: number])[]): Note[] =>
  told.map(([key, ms, length], i): Note => {
    const start = place + ms * TICKS;
    return { id: `n:${place * 100 + i}`, key, velocity: 80, release: 64, start, end: start + length * TICKS };
  });
const treated = (notes: readonly Note[], recipe: Partial<Recipe> = {}): readonly TreatedNote[] =>
  treat({ notes, controls: [] }, [{ id: 't', ...RANGE, ...USUAL, ...recipe }], clock).notes;
const figuresIn = (notes: readonly Note[]) => linedUp(notes, USUAL, clock, RANGE).units.map((u) => u.figure);
/** Offsets of notes from where they were, against the first. */
const inside = (notes: readonly TreatedNote[]): number[] =>
  notes.map((n) => n.start - notes[0]!.start - (n.played.start - notes[0]!.played.start));

describe('a rolled chord', () => {
  it.each([0.7, 1])('played on the line stays as it is, at strength %d', (strength) => {
    const roll = notesAt(3840, [
      ...([
        [48, 0, 800],
        [55, 15, 785],
        [60, 30, 770],
        [64, 45, 755],
      ] as const),
    ]);
    treated(roll, { strength }).forEach((n) => expect(n.start).toBeCloseTo(n.played.start, 6));
  });

  it('goes to the line by its first note, upwards or down, with one hand or both, at any pace', () => {
    for (const pace of [5, 12, 20, 30, 45, 60])
      for (const keys of [
        [36, 43, 48, 55, 60, 64, 67, 72, 76, 79],
        [72, 67, 64, 60],
        [36, 60, 40, 64, 43, 67],
      ]) {
        const late = 12;
        const isBothHands = keys[1] === 60 && keys[0] === 36;
        // Three notes of each hand this near to each other are no roll that anything could tell from a chord.
        if (isBothHands && pace < 20) continue;
        const roll = notesAt(
          3840,
          keys.map((key, i) => [key, late + pace * (isBothHands ? i >> 1 : i), 1200 - pace * i] as const),
        );
        const now = treated(roll, { strength: 1 });
        expect(now[0]!.start).toBeCloseTo(3840, 6);
        inside(now).forEach((off) => expect(Math.abs(off)).toBeLessThan(1e-6));
      }
  });

  it('is not a loose chord: that goes to the line by its middle', () => {
    const loose = [0, 1, 2, 3].flatMap((bar) =>
      notesAt(3840 * (bar + 1), [
        ...([
          [48, -9, 500],
          [60, 8, 500],
          [64, -3, 500],
          [67, 4, 500],
        ] as const),
      ]),
    );
    expect(new Set(figuresIn(loose))).toEqual(new Set([null]));
    treated(loose, { strength: 1 }).forEach((n) => expect(n.start).toBeCloseTo(n.played.start, 6));
  });
});

describe('an ornament', () => {
  const trill = notesAt(
    3840,
    Array.from({ length: 12 }, (_, i) => [72 + (i % 2) * 2, 10 + i * 70 + (i % 3) * 3, 60] as const),
  );

  it('is known as what it is', () => {
    expect(figuresIn(trill)).toEqual(['trill']);
    expect(figuresIn(trill.map((n) => ({ ...n, key: n.key === 74 ? 80 : n.key })))).toEqual(['tremolo']);
    const glissando = Array.from({ length: 9 }, (_, i) => [60 + 2 * i, i * 32, i === 8 ? 600 : 28] as const);
    expect(figuresIn(notesAt(3840, glissando))).toEqual(['glissando']);
    expect(
      figuresIn(
        notesAt(3840, [
          [64, -30, 24],
          [65, 0, 400],
        ]),
      ),
    ).toEqual(['flam']);
    expect(
      figuresIn(
        notesAt(3840, [
          [64, -62, 25],
          [66, -31, 25],
          [65, 0, 400],
        ]),
      ),
    ).toEqual(['drag']);
  });

  it('goes to the line by its anchor, and its inside and its lengths stay, whatever happens to ends', () => {
    for (const ends of ['keep length', 'keep end', 'snap length', 'snap end'] as const) {
      const now = treated(trill, { strength: 1, ends });
      expect(now[0]!.start).toBeCloseTo(3840, 6);
      inside(now).forEach((off) => expect(Math.abs(off)).toBeLessThan(1e-6));
      now.slice(0, -1).forEach((n) => expect(n.end - n.start).toBeCloseTo(n.played.end - n.played.start, 6));
    }
  });

  it('is none where notes go at the pace of the grid: each has its line', () => {
    const sixteenths = notesAt(
      3840,
      Array.from({ length: 12 }, (_, i) => [72 + (i % 2) * 2, i * 120 + (i % 4) * 5, 100] as const),
    );
    expect(new Set(figuresIn(sixteenths))).toEqual(new Set([null]));
    expect(treated(sixteenths, { strength: 1 }).map((n) => n.start)).toEqual(
      Array.from({ length: 12 }, (_, i) => 3840 + i * 240),
    );
  });

  it('is moved note by note where chords are not kept', () => {
    const units = linedUp(trill, { ...USUAL, chord: 0 }, clock, RANGE).units;
    expect(units.every((u) => u.notes.length === 1)).toBe(true);
  });
});

/** Shares of gestures that came out whole, over players that the rules were not set on. */
function whole(settings: Omit<SessionSettings, 'seed' | 'bpm' | 'bars'>, kinds: readonly string[]): number {
  let [all, kept] = [0, 0];
  for (const bpm of [66, 96, 132, 168])
    for (const strength of [0.7, 1]) {
      const { notes, gestures, recipe, tempo, meter }: Session = session({ seed: bpm, bpm, bars: 16, ...settings });
      const t = { id: 't', ...RANGE, ...recipe, strength };
      const now = new Map(treat({ notes, controls: [] }, [t], { tempo, meter }).notes.map((n) => [n.id, n]));
      for (const { kind, ids } of gestures) {
        if (!kinds.includes(kind)) continue;
        all += 1;
        const worst = Math.max(...inside(ids.map((id) => now.get(id)!)).map(Math.abs));
        if (secondsAt(tempo, worst) * 1000 < 1) kept += 1;
      }
    }
  return kept / all;
}

describe('figures of players that the rules were not set on', () => {
  it.each([4, 14, 28])('rolls stay whole with %d ms of looseness', (loose) => {
    expect(whole({ style: 'rolled', loose }, ['roll'])).toBeGreaterThan(0.98);
  });
  it.each([4, 14, 28])('flams and glissandi stay whole with %d ms of looseness', (loose) => {
    expect(whole({ style: 'flams', loose }, ['flam', 'drag'])).toBeGreaterThan(0.97);
    expect(whole({ style: 'glissandi', loose }, ['glissando'])).toBeGreaterThan(0.98);
  });
});

describe('steadying the hand', () => {
  it.each([5, 10, 15, 20, 25, 30, 45, 60])('moves no part that does not drift, rolled at %d ms a note', (pace) => {
    const { notes, recipe, tempo, meter } = session({ seed: 3, style: 'rolled', bpm: 96, bars: 16, loose: 0, pace });
    const t = { id: 't', ...RANGE, ...recipe, way: 'steady' as const };
    for (const n of treat({ notes, controls: [] }, [t], { tempo, meter }).notes)
      expect(Math.abs(secondsAt(tempo, n.start) - secondsAt(tempo, n.played.start))).toBeLessThan(0.001);
  });
});
