import { firstIndex } from '../numbers';
import { asPlayed, byStart } from '../performance/notes';
import type { AsPlayed, Note, Reading } from '../performance/notes';
import type { Ticks } from '../time/units';
import { gridStep, nearestGridPoint } from './grid';
import { keepInOrder, STAYS } from './inOrder';
import type { Clock } from './lattice';
import { treatmentFinder, type Treatment } from './treatments';
import { linedUp, NOTHING_DECIDED, type Decided } from './unitLines';
import { movesOf } from './unitMoves';
import { isNeutral, type Recipe } from './recipe';
import { treatedVelocity } from './treatedVelocity';

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

/** End, by its recipe, of a note that starts at `start`. */
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

/** Written out field by field, since spreading is slow and a line makes one for each note whenever it is read. */
function untreated(note: Note): TreatedNote {
  const { id, key, velocity, release, start, end, until, fixed, made } = note;
  const played = note.played ?? { start, end, key, velocity, release };
  if (until === undefined && fixed === undefined && made === undefined)
    return { id, key, velocity, release, start, end, played };
  return { ...note, played };
}

/** Notes by the treatment that moves them; none for those that stay. */
function byTreatment(notes: readonly Note[], treatments: readonly Treatment[]): Map<Treatment, readonly Note[]> {
  const groups = new Map<Treatment, Note[]>();
  const find = treatmentFinder(treatments);
  for (const note of notes) {
    const treatment = find(note);
    if (!treatment) continue;
    const own = groups.get(treatment);
    if (own) own.push(note);
    else groups.set(treatment, [note]);
  }
  return groups;
}

/** Groups by list of notes: the same notes give the same list, and what is remembered by list is found again. */
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
 * The reading with every treatment applied to the notes that mean its range. Controllers stay. Of one key no onset
 * passes another or comes to overlap it anew, and a note that no treatment moves stays as it is.
 * @param decided what the player has decided of single notes
 */
export function treat(
  reading: Reading,
  treatments: readonly Treatment[],
  clock: Clock,
  decided: Decided = NOTHING_DECIDED,
): TreatedReading {
  const all = reading.notes;
  if (treatments.length === 0) return { notes: all.map(untreated), controls: reading.controls };
  const place = placesIn(all);
  const groups = new Int32Array(all.length).fill(STAYS);
  const canBeCut = new Uint8Array(all.length);
  const recipes: (Recipe | undefined)[] = [];
  const by: number[] = [];
  const touched = new Map<string, number>();
  for (const [treatment, own] of notesOfEach(all, treatments)) {
    if (own.length === 0 || isNeutral(treatment)) continue;
    const lined = linedUp(own, treatment, clock, treatment, decided);
    movesOf(lined, treatment, clock, (unit, ticks) => {
      for (const note of unit.notes) groups[place.get(note)!] = by.length;
      by.push(ticks);
    });
    for (const note of own) {
      const i = place.get(note)!;
      recipes[i] = treatment;
      canBeCut[i] = 1;
    }
    const inside: Recipe = { ...treatment, ends: 'keep length' };
    for (const { figure, notes: its } of lined.units)
      if (figure && figure !== 'roll')
        for (const note of [...its].sort(byStart).slice(0, -1)) recipes[place.get(note)!] = inside;
    treatedVelocity(own, lined, treatment, clock, touched);
  }
  const moves = Float64Array.from(by);
  keepInOrder(all, groups, moves, canBeCut, SHORTEST);
  const notes: TreatedNote[] = [];
  for (let i = 0; i < all.length; i += 1) {
    const note = all[i]!;
    const recipe = recipes[i];
    if (!recipe) {
      notes.push(untreated(note));
      continue;
    }
    const group = groups[i]!;
    const moved = group === STAYS || note.fixed === 'start' || note.fixed === 'both' ? 0 : moves[group]!;
    notes.push(treatedNote(note, recipe, moved, touched.get(note.id) ?? note.velocity, clock));
  }
  cutAtNext(notes, all, canBeCut);
  return { notes: notes.sort(byStart), controls: reading.controls };
}

const places = new WeakMap<readonly Note[], ReadonlyMap<Note, number>>();
/** Index of each note in its list; the list is read again and again while a recipe is set. */
function placesIn(notes: readonly Note[]): ReadonlyMap<Note, number> {
  const known = places.get(notes);
  if (known) return known;
  const made = new Map(notes.map((n, i) => [n, i]));
  places.set(notes, made);
  return made;
}

function treatedNote(note: Note, recipe: Recipe, moved: Ticks, velocity: number, clock: Clock): TreatedNote {
  const start = note.start + moved;
  const end = endOf(note, start, recipe, clock);
  const { id, key, release, until, fixed, made } = note;
  const played = asPlayed(note);
  if (until === undefined && fixed === undefined && made === undefined)
    return { id, key, velocity, release, start, end, played };
  return { ...note, start, end, velocity, played };
}

/** End of a note, what the hand has set and what it may not be shorter than taken into account. */
function endOf(note: Note, start: Ticks, recipe: Recipe, clock: Clock): Ticks {
  if (note.fixed === 'end' || note.fixed === 'both') return note.end;
  if (start === note.start && (recipe.ends === 'keep length' || recipe.ends === 'keep end')) return note.end;
  const least = start + Math.min(SHORTEST, note.end - note.start);
  return Math.max(least, treatedEnd(note, start, recipe, clock));
}

/**
 * The reading as far as it is known while lines are still being found: a note that is as it was goes where it went
 * before, another one where it was played.
 */
export function treatedSoFar(reading: Reading, before: TreatedReading | undefined): TreatedReading {
  const known = new Map(before?.notes.map((n) => [n.id, n]));
  const isAsItWas = (note: Note, { played }: TreatedNote): boolean => {
    const now = asPlayed(note);
    return (Object.keys(now) as (keyof AsPlayed)[]).every((key) => now[key] === played[key]);
  };
  const notes = reading.notes.map((note) => {
    const there = known.get(note.id);
    return there && isAsItWas(note, there) ? there : untreated(note);
  });
  return { notes: notes.sort(byStart), controls: reading.controls };
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

/**
 * A treated note ends where its key is struck again: by the next onset that it did not ring over as it was. What it
 * rang over already it rings over by no more. Changes the list.
 */
const MOST_RUNG_OVER = 32;
function cutAtNext(notes: TreatedNote[], before: readonly Note[], canBeCut: Uint8Array): void {
  // Onsets by key that come after the one that is looked at, the last one first.
  const later: number[][] = Array.from({ length: 128 }, () => []);
  for (let i = notes.length - 1; i >= 0; i -= 1) {
    const note = notes[i]!;
    const own = later[note.key]!;
    const gives = canBeCut[i] || note.until !== undefined;
    if (gives && note.fixed !== 'end' && note.fixed !== 'both') {
      const { end } = before[i]!;
      // Binary search: starts fall along the list, and the last that does not start before the end is wanted.
      const low = firstIndex(own.length, (i) => before[own[i]!]!.start < end);
      const least = Math.min(SHORTEST, end - before[i]!.start);
      let latest = low > 0 ? notes[own[low - 1]!]!.start : Infinity;
      for (let n = low; canBeCut[i] && n < own.length && n < low + MOST_RUNG_OVER; n += 1) {
        const over = own[n]!;
        // The cut leaves at least the shortest note.
        const rung = Math.max(notes[over]!.start + (end - before[over]!.start), note.start + least);
        latest = Math.min(latest, rung);
      }
      if (note.end > latest) notes[i] = { ...note, end: latest };
    }
    own.push(i);
  }
}
