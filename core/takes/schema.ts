import { z } from 'zod';
import { LAP_POLICIES } from '../vocabulary/modes';
import { placementSchema } from '../placement/schema';
import { recipeSchema } from '../timing/schema';
import { tempoChangeSchema } from '../time/schema';
import type { Layer, LayerClosing, LayerEvent, LayerHeader } from './layer';

const key = z.number().int().min(0).max(127);
const finite = z.number().finite();
const id = z.string().min(1).max(80);
const range = z.object({ from: finite, to: finite });

const messageSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('noteOn'), key, velocity: z.number().int().min(1).max(127) }),
  z.object({ type: z.literal('noteOff'), key, velocity: key }),
  z.object({ type: z.literal('control'), controller: key, value: key }),
  z.object({ type: z.literal('bend'), value: z.number().int().min(0).max(16383) }),
  z.object({ type: z.literal('pressure'), value: key }),
  z.object({ type: z.literal('keyPressure'), key, value: key }),
  z.object({ type: z.literal('program'), value: key }),
]);

export const layerEventSchema: z.ZodType<LayerEvent> = z.object({ at: finite, message: messageSchema });

export const layerHeaderSchema: z.ZodType<LayerHeader> = z.object({
  id,
  partId: id,
  passId: id,
  takeId: id,
  source: z.enum(['pass', 'file', 'copy']),
  from: z.string().max(200),
  startedAt: z.string().max(40),
  tempo: z.array(tempoChangeSchema).min(1).max(20_000),
  latency: z.object({ output: z.number().min(0).max(5), input: z.number().min(-1).max(5) }),
  speed: z.number().min(0.25).max(1).optional(),
  placement: placementSchema,
  planned: range,
  early: z.number().min(0).max(960),
  quantize: recipeSchema.nullable(),
  gap: z.number().min(1).max(100_000).optional(),
  laps: z.enum(LAP_POLICIES).optional(),
  lap: z.number().int().min(0).max(100_000).optional(),
  ride: z.string().max(40).optional(),
});

export const layerClosingSchema: z.ZodType<LayerClosing> = z.object({
  range,
  clears: z.array(range.extend({ lane: z.string().max(40).optional() })).max(10_000),
  rings: finite.optional(),
  seam: z.object({ start: z.boolean(), end: z.boolean() }).optional(),
  stopped: z.boolean().optional(),
});

export const layerSchema: z.ZodType<Layer> = z.object({
  header: layerHeaderSchema,
  closing: layerClosingSchema,
  events: z.array(layerEventSchema).max(500_000),
});
