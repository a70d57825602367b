import type { MeterMap } from '../time/meter';
import { many } from '../vocabulary/many';
import type { TickRange, Ticks } from '../time/units';
import { positionAt } from '../time/meter';
import { rangeWords } from '../time/words';
import type { Doubtful, Why } from './doubts';
import { gridWords } from './grid';
import { treatmentsIn, type Treatment } from './treatments';
import type { Recipe } from './recipe';
import { STRAIGHT } from './swing';

const percent = (share: number): string => `${Math.round(share * 100)}%`;

/** "sixteenths", "sixteenths and eighth triplets, with 58% swing". */
export function linesWords({ grid, second, swing }: Pick<Recipe, 'grid' | 'second' | 'swing'>): string {
  const grids = second && second !== grid ? `${gridWords(grid)} and ${gridWords(second)}` : gridWords(grid);
  return swing && swing.percent > STRAIGHT ? `${grids} with ${Math.round(swing.percent)}% swing` : grids;
}

/** "100% to sixteenths", "100% of the drift taken out". */
export function recipeWords(recipe: Recipe): string {
  if (recipe.way === 'steady') return `${percent(recipe.drift ?? 1)} of the slow drift taken out`;
  return `${percent(recipe.strength)} to ${linesWords(recipe)}`;
}

/**
 * Words for what else a recipe does, in the order of its settings: "12 ms later", "leaves alone what is within 6 ms".
 */
export function extrasOf(recipe: Recipe): string[] {
  const { way, small, offset, within, beyond, chord, touch, feel, loose } = recipe;
  const said: (string | false | undefined)[] = [
    way === 'steady' && !!small && `${percent(small)} of the unevenness`,
    !!offset && `${Math.abs(Math.round(offset))} ms ${offset < 0 ? 'earlier' : 'later'}`,
    way !== 'steady' && !!within && `nothing moved that is within ${Math.round(within)} ms`,
    way !== 'steady' && beyond !== undefined && `nor what is beyond ${Math.round(beyond)} ms`,
    !!chord && 'chords keep their spread',
    feel && feel.timing + feel.touch > 0 && `the feel “${feel.feel.name}”`,
    touch?.level !== undefined && !!touch.strength && `velocity ${percent(touch.strength)} towards ${touch.level}`,
    touch?.range !== undefined && touch.range !== 1 && `velocity range ${percent(touch.range)}`,
    !!loose?.spread && `${Math.round(loose.spread)} ms of looseness`,
  ];
  return said.filter((s): s is string => typeof s === 'string');
}

const whoseWords = ({ layers, keys, notes }: Treatment): string => {
  if (notes) return ' selected notes';
  if (keys) return keys.low > 0 ? ' the right hand' : ' the left hand';
  if (layers) return ` what ${layers.length === 1 ? 'one pass' : `${layers.length} passes`} brought`;
  return '';
};

/**
 * Words for what is treated in a range, where it is not the one recipe over all of it: "bars 5–8 100% to sixteenths,
 * bars 9–12 what one pass brought 50% to eighths". Empty where nothing is.
 */
export function treatedWords(treatments: readonly Treatment[], range: TickRange, meter: MeterMap): string {
  return treatmentsIn(treatments, range)
    .map((t) => {
      const within = { from: Math.max(t.from, range.from), to: Math.min(t.to, range.to) };
      return `${rangeWords(within, meter)}${whoseWords(t)} ${recipeWords(t)}`;
    })
    .join(', ');
}

/** A place in its bar: "3", "3·2" for a quarter into the third beat, "3 + 1/3". */
export function lineWords(tick: Ticks, meter: MeterMap): string {
  const { beat, tick: into } = positionAt(meter, tick + 1e-6);
  const share = into / 960;
  if (share < 0.001) return String(beat);
  for (const parts of [4, 3, 8, 6, 5, 16, 12]) {
    const nth = Math.round(share * parts);
    if (Math.abs(share * parts - nth) > 0.01) continue;
    return parts === 4 ? `${beat}·${nth + 1}` : `${beat} + ${nth}/${parts}`;
  }
  return `${beat} + ${share.toFixed(2)}`;
}

const WHY_WORDS: Readonly<Record<Exclude<Why, 'another line'>, string>> = {
  met: 'met another note on',
  order: 'changed its order, on',
  torn: 'was torn from its chord, on',
  far: 'moved furthest, to',
};

/** "could be 3·2 or 3·3", "could be 3·2 or 3·3, and 2 more notes of the beat". */
export function doubtWords(doubt: Doubtful, meter: MeterMap): string {
  const more = doubt.others.reduce((sum, { notes }) => sum + notes.length, 0);
  return `${whyWords(doubt, meter)}${more > 0 ? `, and ${many(more, 'more note')} of the beat` : ''}`;
}

function whyWords({ why, line, other }: Doubtful, meter: MeterMap): string {
  if (why === 'another line' && other !== null) {
    const [first, second] = line < other ? [line, other] : [other, line];
    return `could be ${lineWords(first, meter)} or ${lineWords(second, meter)}`;
  }
  return `${WHY_WORDS[why === 'another line' ? 'far' : why]} ${lineWords(line, meter)}`;
}
