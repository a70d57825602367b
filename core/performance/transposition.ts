import { inRange, type Ticks } from '../time/units';
import { meansPlace } from './intendedPlace';
import type { Note, Reading } from './notes';

/** Compiled transposition of a song: semitones from each place on, 0 before the first. */
export type Transposition = readonly { readonly tick: Ticks; readonly semitones: number }[];

export const NOT_TRANSPOSED: Transposition = [];

/** @example semitonesAt([{ tick: 3840, semitones: 2 }], 3840) // 2 */
export const semitonesAt = (transposition: Transposition, tick: Ticks): number =>
  transposition.findLast((change) => change.tick <= tick)?.semitones ?? 0;

/** Semitones for a note, at the place that it means, so that a note just ahead of a change goes with it. */
export function semitonesOf(transposition: Transposition, { start, end }: Pick<Note, 'start' | 'end'>): number {
  const next = transposition.find((change) => change.tick > start);
  return next && meansPlace({ start, end }, next.tick) ? next.semitones : semitonesAt(transposition, start);
}

/** Transposed key; beyond MIDI's range it is moved by an octave. @example keyBy(126, 3) // 117 */
export function keyBy(key: number, semitones: number): number {
  let to = key + semitones;
  while (to > 127) to -= 12;
  while (to < 0) to += 12;
  return to;
}

/** Reading with each note's key moved by a function, and key pressure moved along. */
function readingBy({ notes, controls }: Reading, by: (note: Pick<Note, 'start' | 'end'>) => number): Reading {
  return {
    notes: notes.map((note) => {
      const semitones = by(note);
      return semitones === 0 ? note : { ...note, key: keyBy(note.key, semitones) };
    }),
    controls: controls.map((control) => {
      const { at, message } = control;
      if (message.type !== 'keyPressure') return control;
      return { at, message: { ...message, key: keyBy(message.key, by({ start: at, end: at })) } };
    }),
  };
}

/** Reading as it sounds in a transposed song. */
export const transposed = (reading: Reading, transposition: Transposition): Reading =>
  transposition.length === 0 ? reading : readingBy(reading, (note) => semitonesOf(transposition, note));

/** Difference of two transpositions, in semitones. */
export function between(from: Transposition, to: Transposition): Transposition {
  const places = [...new Set([...from, ...to].map((change) => change.tick))].sort((a, b) => a - b);
  const made: { tick: Ticks; semitones: number }[] = [];
  for (const tick of places) {
    const semitones = semitonesAt(to, tick) - semitonesAt(from, tick);
    if (semitones !== (made.at(-1)?.semitones ?? 0)) made.push({ tick, semitones });
  }
  return made;
}

/**
 * Transposition of copies: that of the copied range, at each place it is copied to.
 * @param places starts of the copies, in order; each ends with the range's length or where the next begins
 */
export function copiedTo(
  transposition: Transposition,
  range: { readonly from: Ticks; readonly to: Ticks },
  places: readonly Ticks[],
): Transposition {
  if (transposition.length === 0) return [];
  const first = semitonesAt(transposition, range.from);
  const inside = transposition.filter((change) => change.tick > range.from && inRange(change.tick, range));
  return places.flatMap((place) => [
    { tick: place, semitones: first },
    ...inside.map(({ tick, semitones }) => ({ tick: tick - range.from + place, semitones })),
  ]);
}
