import type { Recipe, VelocityRecipe } from '~~/core/timing/recipe';
import { MOST_ALONE, MOST_CHORD, MOST_SPREAD } from '~~/core/timing/schema';
import { MOST_SWING, STRAIGHT, swingRatio, type SwingOf } from '~~/core/timing/swing';
import { linesWords } from '~~/core/timing/words';

/** Change of some settings of a recipe; `undefined` is neutral. */
export type RecipeChange = Partial<Recipe>;

/** Setting that is a number, with its slider. */
export interface RecipeSlider {
  readonly label: string;
  readonly min: number;
  readonly max: number;
  readonly step?: number;
  readonly of: (recipe: Recipe) => number;
  readonly words: (recipe: Recipe) => string;
  readonly to: (value: number, recipe: Recipe) => RecipeChange;
  /** Test for a recipe that has the setting; all have it where nothing is said. */
  readonly isShown?: (recipe: Recipe) => boolean;
}

/** Row of settings: its name and value, and its sliders. */
export interface RecipeRow {
  readonly name: 'grid' | 'swing' | 'offset' | 'alone' | 'ends' | 'chord' | 'velocity' | 'feel' | 'loose';
  readonly label: string;
  readonly value: (recipe: Recipe) => string;
  /** Test for a value that is neutral, and shown with less weight. */
  readonly isQuiet?: (recipe: Recipe) => boolean;
  readonly isShown?: (recipe: Recipe) => boolean;
  readonly sliders: readonly RecipeSlider[];
}

export const ENDS_WORDS: Readonly<Record<Recipe['ends'], string>> = {
  'keep length': 'keep their length',
  'keep end': 'stay where they end',
  'snap length': 'get a length of the grid',
  'snap end': 'end on the grid',
};

const percentOf = (share: number): string => `${Math.round(share * 100)}%`;
const isSteady = ({ way }: Recipe): boolean => way === 'steady';
const snaps = ({ ends }: Recipe): boolean => ends.startsWith('snap');
const listed = (said: readonly (string | false)[], none: string): string => said.filter(Boolean).join(', ') || none;

/** Slider of a share, in percent. */
const share = (
  label: string,
  of: RecipeSlider['of'],
  to: RecipeSlider['to'],
  more: Partial<RecipeSlider> = {},
): RecipeSlider => ({
  ...{ label, min: 0, max: 100, of: (recipe) => of(recipe) * 100, to: (p, recipe) => to(p / 100, recipe) },
  ...{ words: (recipe) => percentOf(of(recipe)), ...more },
});

/** Change of the swing; a straight one is left out. */
export const swingTo = (percent: number, of: SwingOf): RecipeChange => ({
  swing: percent > STRAIGHT ? { percent, of } : undefined,
});
export const swingOf = ({ swing }: Recipe): { readonly percent: number; readonly of: SwingOf } =>
  swing ?? { percent: STRAIGHT, of: 8 };
const swingWords = ({ swing }: Recipe): string =>
  swing ? `${Math.round(swing.percent)}% (${swingRatio(swing.percent)})` : 'straight';

const offsetWords = ({ offset: ms = 0 }: Recipe): string =>
  ms ? `${Math.abs(ms)} ms ${ms < 0 ? 'earlier' : 'later'}` : 'as it is';

const aloneWords = ({ within, beyond }: Recipe): string =>
  listed([!!within && `within ${within} ms`, beyond !== undefined && `beyond ${beyond} ms`], 'nothing');

/** Change of the velocities' settings; neutral ones are left out. */
function velocityTo({ touch }: Recipe, change: VelocityRecipe): RecipeChange {
  const next = Object.entries({ ...touch, ...change }).filter(
    ([name, value]) => value !== undefined && !(name === 'range' && value === 1),
  );
  return { touch: next.length > 0 ? Object.fromEntries(next) : undefined };
}
const levelShare = ({ touch }: Recipe): number => (touch?.level === undefined ? 0 : (touch.strength ?? 1));
const velocityWords = ({ touch }: Recipe): string =>
  listed(
    [
      touch?.level !== undefined && `${percentOf(touch.strength ?? 1)} to ${touch.level}`,
      touch?.range !== undefined && touch.range !== 1 && `range ${percentOf(touch.range)}`,
    ],
    'untreated',
  );

/** Sliders above the rows: how far notes are moved. */
export const STRENGTHS: readonly RecipeSlider[] = [
  share(
    'Slow drift taken out',
    (r) => r.drift ?? 1,
    (drift) => ({ drift }),
    { isShown: isSteady },
  ),
  share(
    'Unevenness taken out',
    (r) => r.small ?? 0,
    (small) => ({ small: small || undefined }),
    { isShown: isSteady },
  ),
  share(
    'Strength',
    (r) => r.strength,
    (strength) => ({ strength }),
    { isShown: (r) => !isSteady(r) },
  ),
];

export const ROWS: readonly RecipeRow[] = [
  {
    ...{ name: 'grid', label: 'Grid', sliders: [] },
    value: ({ grid, second }) => linesWords({ grid, second, swing: undefined }),
  },
  {
    ...{ name: 'swing', label: 'Swing', value: swingWords, isQuiet: ({ swing }) => !swing },
    sliders: [
      {
        ...{ label: 'Swing', min: STRAIGHT, max: MOST_SWING, step: 0.5, words: swingWords },
        ...{ of: (r) => swingOf(r).percent, to: (percent, r) => swingTo(percent, swingOf(r).of) },
      },
    ],
  },
  {
    ...{ name: 'offset', label: 'Earlier or later', value: offsetWords, isQuiet: ({ offset }) => !offset },
    sliders: [
      {
        ...{ label: 'Earlier or later as a whole', min: -60, max: 60, words: offsetWords },
        ...{ of: (r) => r.offset ?? 0, to: (ms) => ({ offset: ms || undefined }) },
      },
    ],
  },
  {
    ...{ name: 'alone', label: 'Leave alone', value: aloneWords, isShown: (r) => !isSteady(r) },
    isQuiet: (r) => aloneWords(r) === 'nothing',
    sliders: [
      {
        ...{ label: 'Leave alone within', min: 0, max: 50, of: (r) => r.within ?? 0 },
        ...{ words: (r) => (r.within ? `${r.within} ms` : 'nothing'), to: (ms) => ({ within: ms || undefined }) },
      },
      {
        ...{ label: 'Leave alone beyond', min: 10, max: MOST_ALONE, of: (r) => r.beyond ?? MOST_ALONE },
        words: (r) => (r.beyond === undefined ? 'nothing' : `${r.beyond} ms`),
        to: (ms) => ({ beyond: ms < MOST_ALONE ? ms : undefined }),
      },
    ],
  },
  {
    ...{ name: 'ends', label: 'Notes' },
    value: (r) => listed([ENDS_WORDS[r.ends], snaps(r) && r.endStrength !== undefined && percentOf(r.endStrength)], ''),
    sliders: [
      share(
        'Strength for ends',
        (r) => r.endStrength ?? r.strength,
        (endStrength) => ({ endStrength }),
        {
          isShown: snaps,
          words: (r) => (r.endStrength === undefined ? 'as the starts' : percentOf(r.endStrength)),
        },
      ),
    ],
  },
  {
    ...{ name: 'chord', label: 'Chords' },
    value: ({ chord }) => (chord ? `keep their spread, ${chord} ms` : 'each note by itself'),
    sliders: [
      {
        ...{ label: 'Widest gap in a chord', min: 0, max: MOST_CHORD, step: 5, of: (r) => r.chord ?? 0 },
        ...{ words: (r) => (r.chord ? `${r.chord} ms` : 'none'), to: (ms) => ({ chord: ms || undefined }) },
      },
    ],
  },
  {
    ...{ name: 'velocity', label: 'Velocity', value: velocityWords, isQuiet: ({ touch }) => !touch },
    sliders: [
      {
        ...{ label: 'Towards a level', min: 1, max: 127, of: (r) => r.touch?.level ?? 64 },
        words: (r) => String(r.touch?.level ?? 64),
        to: (level, r) => velocityTo(r, { level, strength: r.touch?.strength ?? 0.5 }),
      },
      share('How far', levelShare, (strength, r) => velocityTo(r, { level: r.touch?.level ?? 64, strength })),
      share(
        'Range',
        (r) => r.touch?.range ?? 1,
        (range, r) => velocityTo(r, { range }),
        { max: 200 },
      ),
    ],
  },
  {
    ...{ name: 'feel', label: 'Feel', sliders: [] },
    ...{ value: ({ feel }) => feel?.feel.name ?? 'none', isQuiet: ({ feel }) => !feel },
  },
  {
    ...{ name: 'loose', label: 'Looseness', isQuiet: ({ loose }) => !loose },
    value: ({ loose }) => (loose ? `${loose.spread} ms, no. ${loose.seed}` : 'not at all'),
    sliders: [
      {
        ...{ label: 'Scattered by', min: 0, max: MOST_SPREAD, of: (r) => r.loose?.spread ?? 0 },
        words: (r) => `${r.loose?.spread ?? 0} ms`,
        to: (spread, r) => ({ loose: spread > 0 ? { spread, seed: r.loose?.seed ?? 1 } : undefined }),
      },
    ],
  },
];

/** Recipe after a change, without neutral settings. */
export const changedRecipe = (recipe: Recipe, change: RecipeChange): Recipe =>
  Object.fromEntries(
    Object.entries({ ...recipe, ...change }).filter(([, value]) => value !== undefined),
  ) as unknown as Recipe;
