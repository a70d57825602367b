import type { MeterMap } from '../time/meter';
import type { TickRange } from '../time/units';
import { rangeWords } from '../time/words';
import { gridWords } from './grid';
import { treatmentsIn, type Treatment } from './treatment';

/** "100% to sixteenths". */
export const recipeWords = ({ strength, grid }: Pick<Treatment, 'strength' | 'grid'>): string =>
  `${Math.round(strength * 100)}% to ${gridWords(grid)}`;

/**
 * What is treated in a stretch, where it is not the one recipe over all of it: "bars 5–8 100% to sixteenths, bars 9–12
 * what one pass brought 50% to eighths". Empty where nothing is.
 */
export function treatedWords(treatments: readonly Treatment[], stretch: TickRange, meter: MeterMap): string {
  return treatmentsIn(treatments, stretch)
    .map((t) => {
      const within = { from: Math.max(t.from, stretch.from), to: Math.min(t.to, stretch.to) };
      const whose = t.layers ? ` what ${t.layers.length === 1 ? 'one pass' : `${t.layers.length} passes`} brought` : '';
      return `${rangeWords(within, meter)}${whose} ${recipeWords(t)}`;
    })
    .join(', ');
}
