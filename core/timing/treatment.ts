import { asPlayed, layerOfNote, withoutNewOverlaps } from '../performance/notes';
import type { AsPlayed, Note, Reading } from '../performance/notes';
import type { MeterMap } from '../time/meter';
import { inRange, type TickRange, type Ticks } from '../time/units';
import { gridStep, nearestGridPoint, type Grid } from './grid';

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
  /** The layers whose notes it moves; all that are heard there where it is not said. */
  readonly layers?: readonly string[] | undefined;
}

/** A treated note, with where it was played. */
export interface TreatedNote extends Note {
  readonly played: AsPlayed;
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
    case 'keep length':
      return start + length;
    case 'keep end':
      return note.end;
    case 'snap length': {
      const step = gridStep(recipe.grid);
      return start + towards(length, Math.max(1, Math.round(length / step)) * step, recipe.strength);
    }
    case 'snap end':
      return towards(note.end, nearestGridPoint(recipe.grid, meter, note.end), recipe.strength);
  }
}

/**
 * Moves one note. A note that a recipe would end before it begins keeps a 1/128, or its own length if shorter. An end
 * that stands where the hand put it stays there.
 */
export function treatNote(note: Note, recipe: Recipe, meter: MeterMap): TreatedNote {
  const { fixed } = note;
  if (recipe.strength === 0 || fixed === 'both') return untreated(note);
  const to = nearestGridPoint(recipe.grid, meter, note.start);
  const start = fixed === 'start' ? note.start : towards(note.start, to, recipe.strength);
  const least = start + Math.min(SHORTEST, note.end - note.start);
  const end = fixed === 'end' ? note.end : treatedEnd(note, start, recipe, meter);
  return { ...note, start, end: Math.max(least, end), played: asPlayed(note) };
}

/** Written out: a line has as many of them as it has notes, each time that it is read. */
function untreated(note: Note): TreatedNote {
  const { id, key, velocity, release, start, end, until, fixed, made } = note;
  const played = note.played ?? { start, end, key, velocity, release };
  if (until === undefined && fixed === undefined && made === undefined)
    return { id, key, velocity, release, start, end, played };
  return { ...note, played };
}

/** The treatment that moves a note: one for its own layer before one for all that is heard there. */
export function treatmentOf(note: Note, treatments: readonly Treatment[]): Treatment | undefined {
  const here = treatments.filter((t) => inRange(note.start, t));
  if (here.length === 0) return undefined;
  const layer = layerOfNote(note);
  return here.findLast((t) => t.layers?.includes(layer)) ?? here.find((t) => !t.layers);
}

/** The reading with every treatment applied to the notes that were played in its stretch. Controllers stay. */
export function treat(reading: Reading, treatments: readonly Treatment[], meter: MeterMap): TreatedReading {
  const notes = reading.notes.map((note): TreatedNote => {
    const recipe = treatmentOf(note, treatments);
    return recipe ? treatNote(note, recipe, meter) : untreated(note);
  });
  return { notes: treatments.length ? withoutNewOverlaps(notes, 'both') : notes, controls: reading.controls };
}

const sameRecipe = (a: Recipe, b: Recipe): boolean =>
  a.grid === b.grid && a.strength === b.strength && a.ends === b.ends;

/**
 * Lays a treatment over a stretch. Others keep what it does not cover: what is heard in a stretch has one treatment.
 * One for some layers alone lies beside the others; laps that build up one after the other share it.
 */
export function layTreatment(treatments: readonly Treatment[], added: Treatment): Treatment[] {
  const own = { ...added, from: Math.round(added.from), to: Math.round(added.to) };
  const { layers } = own;
  if (!layers) return [...withoutTreatment(treatments, own), own].sort((a, b) => a.from - b.from);
  const shared = treatments.find((t) => t.layers && t.from === own.from && t.to === own.to && sameRecipe(t, own));
  if (shared)
    return treatments.map((t) => (t === shared ? { ...t, layers: [...new Set([...t.layers!, ...layers])] } : t));
  return [...treatments, own].sort((a, b) => a.from - b.from);
}

/** A piece of a treatment that was cut out of it: named for its treatment and its place, however often that is cut. */
const pieceId = (id: string, from: Ticks): string => `${id.split('@')[0]!.slice(0, 60)}@${from}`;

/** Takes the treatments off a stretch. */
export function withoutTreatment(treatments: readonly Treatment[], range: TickRange): Treatment[] {
  const from = Math.round(range.from);
  const to = Math.round(range.to);
  return treatments.flatMap((t) => {
    const left = { ...t, to: Math.min(t.to, from) };
    const right = { ...t, from: Math.max(t.from, to) };
    const both = left.to > left.from && right.to > right.from;
    return [left, both ? { ...right, id: pieceId(t.id, right.from) } : right].filter((piece) => piece.to > piece.from);
  });
}

/** The treatments that move something in a stretch, in their order. */
export const treatmentsIn = (treatments: readonly Treatment[], range: TickRange): Treatment[] =>
  treatments.filter((t) => t.from < range.to && t.to > range.from);
