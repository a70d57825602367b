import { firstIndex } from '../numbers';
import { lazily } from '../lazily';
import type { Note } from '../performance/notes';
import { secondsAt } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { slowDrift } from './drift';
import type { FigureKind } from './figures';
import { gridStep } from './grid';
import { latticeOf, type Clock, type Lattice } from './lattice';
import { linesByPhrase, type Doubt, type Phrase } from './phrase';
import { swingOf, type Recipe } from './recipe';
import { onsetsOf, type Onset } from './onsets';

/** Decision of a player about a note: the line that it belongs to, or that it stays as it was played. */
export type Decided = ReadonlyMap<string, Ticks | 'played'>;
export const NOTHING_DECIDED: Decided = new Map();

/** Notes that are moved as one. */
export interface Unit {
  readonly notes: readonly Note[];
  /** The moment of the unit: the middle of a loose chord, the anchor of a figure. */
  readonly at: Seconds;
  /** Number of notes of which that is the middle. */
  readonly middleOf: number;
  /** Its line, by its place in the lattice. */
  readonly line: number;
  /** True where the player decided that it stays as it was played. */
  readonly stays: boolean;
  /** True where the player decided on its line. */
  readonly decided: boolean;
  /** Notes that it is made of, of those that lines were found for. */
  readonly onsets: readonly number[];
  /** The gesture that it is, where it is one. */
  readonly figure: FigureKind | null;
}

/** The notes of a treatment with their lines. */
export interface Lined {
  readonly lattice: Lattice;
  /** Units by where they lie. */
  readonly units: readonly Unit[];
  /** Sureness of each note's line, worked out when first asked for; null where each was put to its nearest. */
  readonly doubt: (() => Doubt) | null;
  /** Lateness of each unit by slow drift alone, in seconds; worked out when first asked for. */
  readonly drift: () => Float64Array;
}

/** Each note by itself. */
const alone = (notes: readonly Note[], clock: Clock): Onset[] =>
  notes.map((note) => {
    const at = secondsAt(clock.tempo, note.start);
    return { notes: [note], first: at, at, middleOf: 1, figure: null, leans: false, brief: 0, rolls: false };
  });

/** Index of the grid line nearest to a moment. */
function nearest({ seconds, size }: Lattice, at: Seconds): number {
  const low = firstIndex(size - 1, (i) => seconds[i]! >= at);
  return low > 0 && at - seconds[low - 1]! < seconds[low]! - at ? low - 1 : low;
}

/** Index of the grid line at a tick; undefined where the grid has none. */
function lineAt({ tick, size }: Lattice, at: Ticks): number | undefined {
  for (let k = 0; k < size; k += 1) if (Math.abs(tick[k]! - at) < 0.6) return k;
  return undefined;
}

/** The lattice with lines added that were decided on and are in no grid now. */
function withDecided(lattice: Lattice, { tempo }: Clock, decided: readonly Ticks[]): Lattice {
  const missing = [...new Set(decided.filter((t) => lineAt(lattice, t) === undefined))];
  if (missing.length === 0) return lattice;
  const rows = Array.from({ length: lattice.size }, (_, k) => ({ k, at: lattice.at[k]!, tick: lattice.tick[k]! }));
  const all = [...rows, ...missing.map((tick) => ({ k: -1, at: tick, tick }))].sort((a, b) => a.at - b.at);
  const column = (of: (row: (typeof all)[number], before: number) => number): number[] => {
    let before = 0;
    return all.map((row) => {
      if (row.k >= 0) before = row.k;
      return of(row, before);
    });
  };
  const like = (from: ArrayLike<number>) => column((row, before) => from[row.k >= 0 ? row.k : before]!);
  const own = (from: ArrayLike<number>, added: number) => column((row) => (row.k >= 0 ? from[row.k]! : added));
  return {
    size: all.length,
    tick: Float64Array.from(all, (r) => r.tick),
    at: Float64Array.from(all, (r) => r.at),
    seconds: Float64Array.from(all, (r) => secondsAt(tempo, r.at)),
    // Only notes that the player decided on can go to these lines.
    grids: Uint8Array.from(own(lattice.grids, 4)),
    bar: Int32Array.from(like(lattice.bar)),
    beat: Int32Array.from(like(lattice.beat)),
    place: Int32Array.from(own(lattice.place, lattice.places)),
    places: lattice.places + 1,
    phase: Int32Array.from(own(lattice.phase, lattice.phases)),
    phases: lattice.phases + 1,
    depth: Float64Array.from(own(lattice.depth, 5)),
  };
}

/** The line that was decided for an onset, where that was. */
function decidedOf(onset: Onset, decided: Decided): Ticks | 'played' | undefined {
  for (const { id } of onset.notes) {
    const said = decided.get(id);
    if (said !== undefined) return said;
  }
  return undefined;
}

/** Onsets on one line are further apart than a loose chord is: a roll. */
const ROLLED: Seconds = 0.045;

/** Anchor of onsets that move as one, and what they are: the middle of loose hands, the anchor of a figure. */
function anchorOf(onsets: readonly Onset[]): Pick<Unit, 'at' | 'middleOf' | 'figure'> {
  const first = onsets[0]!;
  const { at, middleOf, figure } = first;
  if (onsets.length === 1 || figure) return { at, middleOf, figure };
  if (onsets.at(-1)!.at - first.first > ROLLED) return { at: first.first, middleOf: 1, figure: 'roll' };
  const count = onsets.reduce((n, s) => n + s.middleOf, 0);
  return { at: onsets.reduce((sum, s) => sum + s.at * s.middleOf, 0) / count, middleOf: count, figure: null };
}

/** Onsets that move as one: what goes on a roll on the same line, and grace notes with what they lean on. */
function unitsOf(
  onsets: readonly Onset[],
  lines: ArrayLike<number>,
  along: ArrayLike<number>,
  decided: Decided,
): Unit[] {
  const groups: { root: number; members: number[] }[] = [];
  let grace: number[] = [];
  const last = new Map<number, number>();
  onsets.forEach((onset, i) => {
    const line = lines[i]!;
    const said = decidedOf(onset, decided);
    if (onset.rolls && last.has(line) && said === undefined) {
      groups[last.get(line)!]!.members.push(i);
      return;
    }
    if (along[i] && said === undefined) {
      grace.push(i);
      return;
    }
    const leaning = grace.filter((g) => lines[g] === line);
    grace = grace.filter((g) => lines[g] !== line);
    last.set(line, groups.length);
    groups.push({ root: i, members: [...leaning, i] });
  });
  for (const g of grace) groups.push({ root: g, members: [g] });
  return groups
    .map(({ root, members }): Unit => {
      const said = decidedOf(onsets[root]!, decided);
      const anchor = anchorOf(members.filter((m) => m >= root).map((m) => onsets[m]!));
      return {
        notes: members.flatMap((m) => onsets[m]!.notes),
        ...anchor,
        figure: anchor.figure ?? (members[0]! < root ? 'grace note' : null),
        line: lines[root]!,
        stays: said === 'played',
        decided: said !== undefined,
        onsets: members,
      };
    })
    .sort((a, b) => a.at - b.at);
}

/** Ticks ahead of the first note that are looked at: rests before that say nothing of where lines are struck. */
const BEFORE: Ticks = 8 * 3840;

function find(notes: readonly Note[], recipe: Recipe, clock: Clock, range: TickRange, decided: Decided): Lined {
  const grids = recipe.second ? [recipe.grid, recipe.second] : [recipe.grid];
  const said = notes.flatMap((n) => decided.get(n.id) ?? []);
  const onLines = said.filter((s) => s !== 'played');
  const reach = notes.reduce((r, n) => ({ from: Math.min(r.from, n.start), to: Math.max(r.to, n.start) }), {
    from: Math.max(range.from, (notes[0]?.start ?? range.from) - BEFORE),
    to: Math.min(range.to, Math.max(range.from, notes.at(-1)?.start ?? range.from)),
  });
  const lattice = withDecided(latticeOf(grids, clock, reach, swingOf(recipe)), clock, onLines);
  const chord = recipe.chord ?? 0;
  // Every second line of a swung grid is nearer.
  const step = (Math.min(...grids.map(gridStep)) * 2 * (100 - swingOf(recipe).percent)) / 100;
  const phrased = recipe.lines === 'phrase';
  const onsets =
    chord > 0 || phrased
      ? onsetsOf(
          notes,
          clock.tempo,
          (n) => secondsAt(clock.tempo, n.start + step) - secondsAt(clock.tempo, n.start),
          chord,
        )
      : alone(notes, clock);
  const pinned =
    said.length > 0
      ? onsets.map((s) => {
          const one = decidedOf(s, decided);
          return typeof one === 'number' ? lineAt(lattice, one) : undefined;
        })
      : [];
  let phrase = phrased ? linesByPhrase(onsets, lattice, pinned) : null;
  // A hand that is to be steadied may stray further than lines by themselves would let it.
  if (phrase && recipe.way === 'steady') phrase = linesByPhrase(withoutDrift(onsets, phrase, lattice), lattice, pinned);
  const lines = phrase?.lines ?? Int32Array.from(onsets, (s, i) => pinned[i] ?? nearest(lattice, s.at));
  const along = phrase?.rolled ?? new Uint8Array(onsets.length);
  const doubt = phrase?.doubt ?? null;
  if (chord > 0) {
    if (!phrase) rollOn(onsets, lines, along);
    return linedOf(unitsOf(onsets, lines, along, decided), lattice, doubt);
  }
  // Each note goes to the line by itself.
  const units = onsets.flatMap((s, i): Unit[] => {
    const one = decidedOf(s, decided);
    return s.notes.map((note) => ({
      notes: [note],
      at: secondsAt(clock.tempo, note.start),
      middleOf: 1,
      line: lines[i]!,
      stays: one === 'played',
      decided: one !== undefined,
      onsets: [i],
      figure: null,
    }));
  });
  return linedOf(units, lattice, doubt);
}

/** Onsets as if the hand had not drifted. */
function withoutDrift(onsets: readonly Onset[], { lines }: Phrase, lattice: Lattice): Onset[] {
  const drift = driftOf(
    onsets.map(({ at, middleOf }, i) => ({ at, line: lines[i]!, middleOf })),
    lattice,
  );
  return onsets.map((s, i) => ({ ...s, at: s.at - drift[i]! }));
}

/** Lateness by slow drift alone of what lies on lines, in seconds. */
const driftOf = (all: readonly Pick<Unit, 'at' | 'line' | 'middleOf'>[], { seconds, place }: Lattice): Float64Array =>
  slowDrift(
    Float64Array.from(all, (u) => u.at),
    Float64Array.from(all, (u) => u.at - seconds[u.line]!),
    Int32Array.from(all, (u) => place[u.line]!),
    Int32Array.from(all, (u) => u.middleOf),
  );

/** @param drift where it has been found already */
export const linedOf = (
  units: readonly Unit[],
  lattice: Lattice,
  doubt: (() => Doubt) | null,
  drift = lazily(() => driftOf(units, lattice)),
): Lined => ({ units, lattice, doubt, drift });

/** Without the phrase, what can be a roll is one. */
function rollOn(onsets: readonly Onset[], lines: Int32Array, along: Uint8Array): void {
  onsets.forEach((onset, i) => {
    if (!onset.rolls || i === 0) return;
    lines[i] = lines[i - 1]!;
    along[i] = 1;
  });
}

interface Known {
  readonly clock: Clock;
  readonly decided: Decided;
  readonly lined: Lined;
}
/** Lines by list of notes and recipe. Strength and the like do not change them, and are set by ear, quickly. */
const known = new WeakMap<readonly Note[], Map<string, Known>>();
const MOST_KNOWN = 12;

/** Key of a recipe's fields that decide which lines there are and which notes move as one. */
const keyOf = ({ grid, second, lines, swing, chord, way }: Recipe, { from, to }: TickRange): string =>
  JSON.stringify([grid, second, lines, swing, chord, way, from, to]);

function knownLines(notes: readonly Note[], key: string, { tempo, meter }: Clock, decided: Decided): Lined | undefined {
  const there = known.get(notes)?.get(key);
  const isSame = there?.clock.tempo === tempo && there.clock.meter === meter && there.decided === decided;
  return isSame ? there.lined : undefined;
}

function know(notes: readonly Note[], key: string, { tempo, meter }: Clock, decided: Decided, lined: Lined): void {
  const own = known.get(notes) ?? new Map<string, Known>();
  known.set(notes, own);
  if (own.size >= MOST_KNOWN) own.delete(own.keys().next().value!);
  own.set(key, { clock: { tempo, meter }, decided, lined });
}

/** Test whether the lines of these notes have been found. */
export const isLinedUp = (
  notes: readonly Note[],
  recipe: Recipe,
  clock: Clock,
  range: TickRange,
  decided: Decided,
): boolean => knownLines(notes, keyOf(recipe, range), clock, decided) !== undefined;

/** Takes lines that were found elsewhere, of the same notes under the same recipe, for those that `linedUp` gives. */
export const lineUpAs = (
  lined: Lined,
  notes: readonly Note[],
  recipe: Recipe,
  clock: Clock,
  range: TickRange,
  decided: Decided,
): void => know(notes, keyOf(recipe, range), clock, decided, lined);

/**
 * The lines of notes under a recipe, and what of them moves as one.
 * @param notes by start
 * @param range the range that is treated
 */
export function linedUp(
  notes: readonly Note[],
  recipe: Recipe,
  clock: Clock,
  range: TickRange,
  decided: Decided = NOTHING_DECIDED,
): Lined {
  const key = keyOf(recipe, range);
  const there = knownLines(notes, key, clock, decided);
  if (there) return there;
  const lined = find(notes, recipe, clock, range, decided);
  know(notes, key, clock, decided, lined);
  return lined;
}
