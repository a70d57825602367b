import fc from 'fast-check';
import { expect, it } from 'vitest';
import { recipes } from '~~/core/testing/treated';
import { STRAIGHT } from '~~/core/timing/swing';
import { recipeSchema } from '~~/core/timing/schema';
import { changedRecipe, ROWS, STRENGTHS } from './recipeSettings';

const sliders = [...STRENGTHS, ...ROWS.flatMap((row) => row.sliders)];
const sliderOf = (label: string) => sliders.find((s) => s.label === label)!;

it('each slider, moved anywhere, makes a recipe that is valid and has what it shows', () => {
  fc.assert(
    fc.property(recipes, fc.constantFrom(...sliders), fc.integer({ min: 0, max: 100 }), (recipe, slider, part) => {
      const { min, max, step = 1, of, to, words } = slider;
      const value = min + Math.round(((max - min) * part) / 100 / step) * step;
      const next = changedRecipe(recipe, to(value, recipe));
      expect(recipeSchema.safeParse(next).success).toBe(true);
      expect(Object.values(next)).not.toContain(undefined);
      expect(of(next)).toBeCloseTo(value, 9);
      expect(words(next)).not.toBe('');
    }),
  );
});

it('leaves out what is neutral', () => {
  const plain = { grid: '16 straight', strength: 1, ends: 'keep length' } as const;
  const back = (label: string, there: number, neutral: number) => {
    const set = changedRecipe(plain, sliderOf(label).to(there, plain));
    expect(set).not.toEqual(plain);
    return changedRecipe(set, sliderOf(label).to(neutral, set));
  };
  expect(back('Swing', 60, STRAIGHT)).toEqual(plain);
  expect(back('Earlier or later as a whole', -12, 0)).toEqual(plain);
  expect(back('Leave alone within', 10, 0)).toEqual(plain);
  expect(back('Range', 50, 100)).toEqual(plain);
  expect(back('Scattered by', 8, 0)).toEqual(plain);
});

it('rows say what is set, and quietly what is not', () => {
  const row = (name: string) => ROWS.find((r) => r.name === name)!;
  const recipe = { grid: '16 straight', strength: 1, ends: 'snap end', endStrength: 0.5, offset: -12 } as const;
  expect(row('offset').value(recipe)).toBe('12 ms earlier');
  expect(row('ends').value(recipe)).toBe('end on the grid, 50%');
  expect([row('offset').isQuiet!(recipe), row('swing').isQuiet!(recipe)]).toEqual([false, true]);
  expect(row('alone').isShown!({ ...recipe, way: 'steady' })).toBe(false);
});
