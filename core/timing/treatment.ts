import { byStart, type Note, type Reading } from '../performance/notes';
import type { MeterMap } from '../time/meter';
import { inRange, type TickRange, type Ticks } from '../time/units';
import { gridStep, nearestLine, type Grid } from './grid';

export const ENDS = ['keep length', 'keep end', 'snap length', 'snap end'] as const;
export type Ends = (typeof ENDS)[number];

/** A reversible timing recipe. */
export interface Recipe {
  readonly grid: Grid;
  /** 0 leaves everything as played, 1 puts every start on its line. */
  readonly strength: number;
  readonly ends: Ends;
}

/** A recipe over a stretch of a part. */
export interface Treatment extends TickRange, Recipe {
  readonly id: string;
}

/** A treated note, with where it was played. */
export interface TreatedNote extends Note {
  readonly played: { readonly start: Ticks; readonly end: Ticks };
}

export interface TreatedReading extends Reading {
  readonly notes: readonly TreatedNote[];
}

/** No treatment makes a note shorter than a 1/128. */
const SHORTEST: Ticks = 30;

const towards = (from: Ticks, to: Ticks, strength: number): Ticks => from + (to - from) * strength;

function treatedEnd(note: Note, start: Ticks, recipe: Recipe, meter: MeterMap): Ticks {
  const length = note.end - note.start;
  switch (recipe.ends) {
    case 'keep length': return start + length;
    case 'keep end': return note.end;
    case 'snap length': {
      const step = gridStep(recipe.grid);
      return start + towards(length, Math.max(1, Math.round(length / step)) * step, recipe.strength);
    }
    case 'snap end': return towards(note.end, nearestLine(recipe.grid, meter, note.end), recipe.strength);
  }
}

/** Moves one note. A note that a recipe would end before it begins keeps a 1/128, or its own length if shorter. */
export function treatNote(note: Note, recipe: Recipe, meter: MeterMap): TreatedNote {
  const played = { start: note.start, end: note.end };
  if (recipe.strength === 0) return { ...note, played };
  const start = towards(note.start, nearestLine(recipe.grid, meter, note.start), recipe.strength);
  const least = start + Math.min(SHORTEST, note.end - note.start);
  return { ...note, start, end: Math.max(least, treatedEnd(note, start, recipe, meter)), played };
}

/**
 * Two notes of a key that did not overlap as played must not overlap once treated: a note-off would end the
 * wrong one. The earlier is cut at the later's start.
 */
function withoutNewOverlaps(notes: readonly TreatedNote[]): TreatedNote[] {
  const next = new Map<number, TreatedNote>();
  return [...notes].sort(byStart).reverse().map((note) => {
    const after = next.get(note.key);
    next.set(note.key, note);
    return after && note.end > after.start && note.played.end <= after.played.start && after.start > note.start
      ? { ...note, end: after.start }
      : note;
  }).reverse();
}

/** The reading with every treatment applied to the notes that were played in its stretch. Controllers stay. */
export function treat(reading: Reading, treatments: readonly Treatment[], meter: MeterMap): TreatedReading {
  const notes = reading.notes.map((note): TreatedNote => {
    const recipe = treatments.find((t) => inRange(note.start, t));
    return recipe ? treatNote(note, recipe, meter) : { ...note, played: { start: note.start, end: note.end } };
  });
  return { notes: treatments.length ? withoutNewOverlaps(notes) : notes, controls: reading.controls };
}

/** Lays a treatment over a stretch. Others keep what it does not cover: a stretch has one treatment. */
export function layTreatment(treatments: readonly Treatment[], added: Treatment): Treatment[] {
  return [...withoutTreatment(treatments, added), added].sort((a, b) => a.from - b.from);
}

/** Takes the treatment off a stretch. */
export function withoutTreatment(treatments: readonly Treatment[], range: TickRange): Treatment[] {
  return treatments.flatMap((t) => {
    const left = { ...t, to: Math.min(t.to, range.from) };
    const right = { ...t, id: t.from < range.from ? `${t.id}'` : t.id, from: Math.max(t.from, range.to) };
    return [left, right].filter((piece) => piece.to > piece.from);
  });
}
