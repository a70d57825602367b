import { asPlayed, byStart } from '../performance/notes';
import type { AsPlayed, Note, Reading } from '../performance/notes';
import type { Ticks } from '../time/units';
import { gridStep, nearestGridPoint } from './grid';
import { inOrder, type Moved } from './inOrder';
import type { Clock } from './lattice';
import { treatmentOf, type Treatment } from './laying';
import { linedUp, NOTHING_DECIDED, type Decided } from './lined';
import { movesOf } from './moves';
import { isNeutral, type Recipe } from './recipe';
import { treatedTouch } from './touch';

/** A treated note, with how it was played. */
export interface TreatedNote extends Note {
  readonly played: AsPlayed;
}

export interface TreatedReading extends Reading {
  readonly notes: readonly TreatedNote[];
}

/** No treatment makes a note shorter than a 1/128, or than it was. */
export const SHORTEST: Ticks = 30;

const towards = (from: Ticks, to: Ticks, strength: number): Ticks => from + (to - from) * strength;

/** Where a note that starts at `start` ends by its recipe. */
function treatedEnd(note: Note, start: Ticks, recipe: Recipe, { meter }: Clock): Ticks {
  const length = note.end - note.start;
  const strength = recipe.endStrength ?? (recipe.way === 'steady' ? 1 : recipe.strength);
  switch (recipe.ends) {
    case 'keep length':
      return start + length;
    case 'keep end':
      return note.end;
    case 'snap length': {
      const step = gridStep(recipe.grid);
      return start + towards(length, Math.max(1, Math.round(length / step)) * step, strength);
    }
    case 'snap end':
      return towards(note.end, nearestGridPoint(recipe.grid, meter, note.end), strength);
  }
}

/** Written out: a line has as many of them as it has notes, each time that it is read. */
function untreated(note: Note): TreatedNote {
  const { id, key, velocity, release, start, end, until, fixed, made } = note;
  const played = note.played ?? { start, end, key, velocity, release };
  if (until === undefined && fixed === undefined && made === undefined)
    return { id, key, velocity, release, start, end, played };
  return { ...note, played };
}

/** Notes by the treatment that moves them; none for those that stay. */
export function byTreatment(notes: readonly Note[], treatments: readonly Treatment[]): Map<Treatment, readonly Note[]> {
  const groups = new Map<Treatment, Note[]>();
  for (const note of notes) {
    const treatment = treatmentOf(note, treatments);
    if (!treatment) continue;
    const own = groups.get(treatment);
    if (own) own.push(note);
    else groups.set(treatment, [note]);
  }
  return groups;
}

/** The same notes give the same list, so that what was found out about it is found again. */
const grouped = new WeakMap<
  readonly Note[],
  { readonly key: string; readonly groups: Map<string, readonly Note[]> }[]
>();

/** The notes of each treatment. What moves whom does not change with how it is moved. */
export function notesOfEach(
  notes: readonly Note[],
  treatments: readonly Treatment[],
): readonly (readonly [Treatment, readonly Note[]])[] {
  const key = JSON.stringify(treatments.map(({ from, to, layers, keys, notes: set }) => [from, to, layers, keys, set]));
  const kept = grouped.get(notes) ?? [];
  grouped.set(notes, kept);
  let there = kept.find((g) => g.key === key);
  if (!there) {
    const groups = byTreatment(notes, treatments);
    there = { key, groups: new Map(treatments.map((t, i) => [String(i), groups.get(t) ?? []])) };
    kept.push(there);
    if (kept.length > MOST_KEPT) kept.shift();
  }
  return treatments.map((t, i) => [t, there.groups.get(String(i))!] as const);
}
const MOST_KEPT = 6;

/**
 * The reading with every treatment applied to the notes that mean its stretch. Controllers stay. Of one key no strike
 * passes another or comes to overlap it anew, and a note that no treatment moves stays as it is.
 * @param decided what the player has decided of single notes
 */
export function treat(
  reading: Reading,
  treatments: readonly Treatment[],
  clock: Clock,
  decided: Decided = NOTHING_DECIDED,
): TreatedReading {
  if (treatments.length === 0) return { notes: reading.notes.map(untreated), controls: reading.controls };
  const moved = new Map<string, Moved>();
  const touched = new Map<string, number>();
  const recipes = new Map<string, Recipe>();
  for (const [treatment, own] of notesOfEach(reading.notes, treatments)) {
    if (own.length === 0 || isNeutral(treatment)) continue;
    const lined = linedUp(own, treatment, clock, treatment, decided);
    for (const [unit, by] of movesOf(lined, treatment, clock)) {
      const group = { notes: unit.notes, by };
      for (const note of unit.notes) moved.set(note.id, group);
    }
    for (const note of own) recipes.set(note.id, treatment);
    treatedTouch(own, lined, treatment, clock, touched);
  }
  const starts = inOrder(reading.notes, moved, (n) => recipes.has(n.id), SHORTEST);
  const notes = reading.notes.map((note): TreatedNote => {
    const recipe = recipes.get(note.id);
    if (!recipe) return untreated(note);
    const start = starts.get(note.id) ?? note.start;
    const keepsEnd = note.fixed === 'end' || note.fixed === 'both';
    const isStill = start === note.start && (recipe.ends === 'keep length' || recipe.ends === 'keep end');
    const ends = keepsEnd || isStill ? note.end : treatedEnd(note, start, recipe, clock);
    const end = keepsEnd ? note.end : Math.max(start + Math.min(SHORTEST, note.end - note.start), ends);
    return { ...note, start, end, velocity: touched.get(note.id) ?? note.velocity, played: asPlayed(note) };
  });
  return { notes: cutAtNext(notes, reading.notes, recipes).sort(byStart), controls: reading.controls };
}

/** The reading part of the way from how it was played to how it is: 0 as played, 1 as it is. */
export function partWay(reading: TreatedReading, share: number): TreatedReading {
  const between = (a: number, b: number): number => a + (b - a) * share;
  const notes = reading.notes.map((n) => ({
    ...n,
    start: between(n.played.start, n.start),
    end: between(n.played.end, n.end),
    velocity: Math.round(between(n.played.velocity, n.velocity)),
  }));
  return { notes: notes.sort(byStart), controls: reading.controls };
}

/** A treated note ends where its key is struck again, unless it already rang over that as it was. */
function cutAtNext(
  notes: readonly TreatedNote[],
  before: readonly Note[],
  recipes: ReadonlyMap<string, Recipe>,
): TreatedNote[] {
  const next = new Map<number, number>();
  const made = [...notes];
  for (let i = notes.length - 1; i >= 0; i -= 1) {
    const note = made[i]!;
    const after = next.get(note.key);
    next.set(note.key, i);
    if (after === undefined || !recipes.has(note.id)) continue;
    if (note.fixed === 'end' || note.fixed === 'both') continue;
    if (note.end > made[after]!.start && before[i]!.end <= before[after]!.start)
      made[i] = { ...note, end: made[after]!.start };
  }
  return made;
}
