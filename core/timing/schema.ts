import { z } from 'zod';
import { id, range } from '../vocabulary/fields';
import { GRIDS } from './grid';
import { ENDS } from './treatment';

const recipe = {
  grid: z.enum(GRIDS as [(typeof GRIDS)[number], ...typeof GRIDS]),
  strength: z.number().min(0).max(1),
  ends: z.enum(ENDS),
};
export const recipeSchema = z.object(recipe).readonly();

export const treatmentSchema = z
  .object({
    id,
    ...range,
    ...recipe,
    /** The layers whose notes it moves, where it is not all. */
    layers: z.array(id).min(1).readonly().optional(),
  })
  .readonly();
