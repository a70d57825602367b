import type { Milliseconds } from '../time/units';
import type { Feel } from './feel';
import type { Grid } from './grid';
import { STRAIGHT, type SwingOf } from './swing';

export const ENDS = ['keep length', 'keep end', 'snap length', 'snap end'] as const;
export type Ends = (typeof ENDS)[number];

/** Ways to move notes: to the lines of the grid, or to the hand's own time without its slow drift. */
export const WAYS = ['grid', 'steady'] as const;
export type Way = (typeof WAYS)[number];

/** Ways to find a note's line: for the phrase as a whole, or the nearest for each by itself. */
export const LINES = ['phrase', 'nearest'] as const;
export type Lines = (typeof LINES)[number];

/** Velocity settings of a recipe; a missing field leaves velocities as played. */
export interface VelocityRecipe {
  /** Velocity that notes are drawn towards, 1 to 127. */
  readonly level?: number | undefined;
  /** Share of the way to that velocity, 0 to 1. */
  readonly strength?: number | undefined;
  /** Spread of velocities about their mean, as a factor of what was played, 0 to 2. */
  readonly range?: number | undefined;
}

/** A feel in a recipe, and how much of it is applied. */
export interface AppliedFeel {
  readonly feel: Feel;
  /** 0 to 1. */
  readonly timing: number;
  /** 0 to 1. */
  readonly touch: number;
}

/** Looseness: onsets are scattered, each by its own name and the seed. */
export interface Looseness {
  /** Standard deviation. */
  readonly spread: Milliseconds;
  readonly seed: number;
}

/** A reversible timing recipe; a missing field changes nothing. */
export interface Recipe {
  readonly grid: Grid;
  /** Second grid: each phrase follows the one or the other. */
  readonly second?: Grid | undefined;
  /** Way to find a note's line; `nearest` if missing. */
  readonly lines?: Lines | undefined;
  /** Way to move notes; `grid` if missing. */
  readonly way?: Way | undefined;
  /** 0 leaves every start as played, 1 puts it on its line. */
  readonly strength: number;
  readonly ends: Ends;
  /** Share of the way that ends go to the grid, 0 to 1; that of the starts if missing. */
  readonly endStrength?: number | undefined;
  /**
   * Shares that steadying the hand takes out, 0 to 1: of the slow drift (1 if missing), and of the unevenness from note
   * to note (0 if missing).
   */
  readonly drift?: number | undefined;
  readonly small?: number | undefined;
  readonly swing?: { readonly percent: number; readonly of: SwingOf } | undefined;
  /** Delay of all notes; negative is earlier. */
  readonly offset?: Milliseconds | undefined;
  /** Onsets within this of their line stay as played, and so do those beyond the other. */
  readonly within?: Milliseconds | undefined;
  readonly beyond?: Milliseconds | undefined;
  /** Onsets that ring together and are no further apart than this move as one, and keep their roll. */
  readonly chord?: Milliseconds | undefined;
  readonly touch?: VelocityRecipe | undefined;
  readonly feel?: AppliedFeel | undefined;
  readonly loose?: Looseness | undefined;
}

/** The recipe that "Quantize these bars" begins with. */
export const USUAL: Recipe = {
  grid: '16 straight',
  lines: 'phrase',
  strength: 0.7,
  ends: 'keep length',
  chord: 60,
};

/** Recipe that "Steady the hand" begins with. */
export const STEADIED: Recipe = { ...USUAL, way: 'steady' };

const FIELDS = [
  ...(['grid', 'second', 'lines', 'way', 'strength', 'ends', 'endStrength', 'drift', 'small', 'swing'] as const),
  ...(['offset', 'within', 'beyond', 'chord', 'touch', 'feel', 'loose'] as const),
] satisfies readonly (keyof Recipe)[];
// Every field is in the list, or this line does not compile.
type Missing = Exclude<keyof Recipe, (typeof FIELDS)[number]>;
const whole: Missing extends never ? true : never = true;
void whole;

/** The recipe alone of something that has one: settings that are not said stay unsaid. */
export function recipeOf(of: Recipe): Recipe {
  return Object.fromEntries(FIELDS.filter((f) => of[f] !== undefined).map((f) => [f, of[f]])) as unknown as Recipe;
}

export const sameRecipe = (a: Recipe, b: Recipe): boolean =>
  a === b || JSON.stringify(recipeOf(a)) === JSON.stringify(recipeOf(b));

/** Test for a recipe that leaves everything as it was played. */
export function isNeutral(recipe: Recipe): boolean {
  const { strength, ends, endStrength, offset, touch, feel, loose, way, drift, small } = recipe;
  const still = way === 'steady' ? (drift ?? 1) === 0 && !small : strength === 0;
  const snaps = ends === 'snap length' || ends === 'snap end';
  return (
    still &&
    !(snaps && (endStrength ?? strength) > 0) &&
    !offset &&
    !(touch && ((touch.level !== undefined && touch.strength) || (touch.range ?? 1) !== 1)) &&
    !(feel && feel.touch > 0) &&
    !loose?.spread
  );
}

/** The swing in force; straight where none is set. */
export const swingOf = ({ swing }: Recipe): { percent: number; of: SwingOf } => swing ?? { percent: STRAIGHT, of: 8 };
