import { z } from 'zod';
import { layerClosingSchema, layerHeaderSchema } from '../takes/schema';
import { id } from '../vocabulary/fields';
import { MODES } from '../vocabulary/modes';
import type { PassResult } from './state';

/** Result of a pass, or of one lap. */
export const passResultSchema: z.ZodType<PassResult> = z.object({
  passId: id,
  mode: z.enum(MODES),
  frame: z.number().finite().optional(),
  layers: z.array(
    z.object({
      header: layerHeaderSchema,
      closing: layerClosingSchema,
      notes: z.number().int().min(0),
      touched: z.boolean().optional(),
    }),
  ),
});
