import { z } from 'zod';
import { MOST_SEMITONES, MOST_TRANSPOSED } from '../vocabulary/limits';
import { LAP_POLICIES } from '../vocabulary/modes';
import { placementSchema } from '../placement/schema';
import { noteSetSchema } from '../performance/noteSet';
import { recipeSchema } from '../timing/schema';
import { tempoChangeSchema } from '../time/schema';
import { EDIT_KINDS, type Edit } from './edits';
import type { Layer, LayerClosing, LayerEvent, LayerHeader } from './layer';
import type { Recording } from './sound';

const key = z.number().int().min(0).max(127);
const finite = z.number().finite();
const id = z.string().min(1).max(80);
const range = z.object({ from: finite, to: finite });
/** Id of a recording. It is part of an address and of a file's name, and so has no character that leads elsewhere. */
export const recordingId = z.string().regex(/^[\w-]{1,80}$/);

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

const transpositionSchema = z
  .array(z.object({ tick: finite, semitones: z.number().int().min(-MOST_SEMITONES).max(MOST_SEMITONES) }).readonly())
  .max(MOST_TRANSPOSED)
  .readonly();

export const layerHeaderSchema: z.ZodType<LayerHeader> = z.object({
  id,
  partId: id,
  passId: id,
  takeId: id,
  source: z.enum(['pass', 'file', 'copy']),
  from: z.string().max(200),
  startedAt: z.string().max(40),
  tempo: z.array(tempoChangeSchema).min(1).max(20_000),
  latency: z.object({
    output: z.number().min(0).max(5),
    input: z.number().min(-1).max(5),
    measured: z.boolean().optional(),
  }),
  speed: z.number().min(0.25).max(1).optional(),
  transposition: transpositionSchema.optional(),
  placement: placementSchema,
  planned: range,
  early: z.number().min(0).max(960),
  quantize: recipeSchema.nullable(),
  gap: z.number().min(1).max(100_000).optional(),
  laps: z.enum(LAP_POLICIES).optional(),
  lap: z.number().int().min(0).max(100_000).optional(),
  ride: z.string().max(40).optional(),
  sound: z.object({ recording: recordingId, input: z.number().min(-1).max(5), frame: finite }).optional(),
});

export const layerClosingSchema: z.ZodType<LayerClosing> = z.object({
  range,
  clears: z.array(range.extend({ lane: z.string().max(40).optional() })).max(10_000),
  rings: finite.optional(),
  seam: z.object({ start: z.boolean(), end: z.boolean() }).optional(),
  stopped: z.boolean().optional(),
});

const MOST_FRAMES = 2 ** 40;
const frames = z.number().int().min(0).max(MOST_FRAMES);
/** Facts known of a recording when it is opened. */
export const recordingFactsSchema = z.object({
  zero: finite.min(-1e9).max(1e9),
  rate: z.number().int().min(8000).max(384_000),
  channels: z.number().int().min(1).max(2),
  from: z.string().max(200),
});
export const recordingSchema: z.ZodType<Recording> = recordingFactsSchema.extend({
  id: recordingId,
  first: frames,
  frames: frames.min(1),
  audio: z.string().regex(/^[0-9a-f]{64}$/),
});

export const layerSchema: z.ZodType<Layer> = z.object({
  header: layerHeaderSchema,
  closing: layerClosingSchema,
  events: z.array(layerEventSchema).max(500_000),
});

const packedSchema = z.string().max(2_000_000);
const lane = z.string().max(40);
const place = finite.min(-1e9).max(1e9);
const amount = finite.min(-1e6).max(1e6);
const notes = noteSetSchema;
const velocityChangeSchema = z.union([
  z.strictObject({ to: amount }),
  z.strictObject({ by: amount }),
  z.strictObject({ times: amount }),
  z.strictObject({ level: amount, share: z.number().min(0).max(1) }),
  z.strictObject({ from: place, first: amount, until: place, last: amount }),
  z.strictObject({ release: amount }),
]);
const lengthWaySchema = z.union([
  z.strictObject({ by: amount }),
  z.strictObject({ to: amount }),
  z.strictObject({ times: amount }),
]);
const addedNoteSchema = z.tuple([place, place, key, key.min(1), key]);
/** The most notes that one edit may add; more come as a layer. */
export const MOST_ADDED = 5000;
const MOST_POINTS = 20_000;

/** A change by hand. */
export const editSchema: z.ZodType<Edit> = z.discriminatedUnion('op', [
  z.object({ op: z.literal('move'), notes, by: amount, keys: z.number().int().min(-127).max(127) }),
  z.object({ op: z.literal('pin'), notes, end: z.enum(['start', 'end']), places: packedSchema }),
  z.object({ op: z.literal('length'), notes, way: lengthWaySchema }),
  z.object({ op: z.literal('touch'), notes, way: velocityChangeSchema }),
  z.object({ op: z.literal('silence'), notes, on: z.boolean() }),
  z.object({ op: z.literal('remove'), notes }),
  z.object({ op: z.literal('add'), id, notes: z.array(addedNoteSchema).max(MOST_ADDED) }),
  z.object({ op: z.literal('hold'), notes, end: z.enum(['start', 'end', 'both']) }),
  z.object({ op: z.literal('let go'), notes }),
  z.object({ op: z.literal('give back'), notes, kinds: z.array(z.enum(EDIT_KINDS)).max(EDIT_KINDS.length) }),
  range.extend({
    op: z.literal('draw'),
    lane,
    points: z.array(z.tuple([place, z.number().int().min(0).max(16383)])).max(MOST_POINTS),
  }),
  range.extend({ op: z.literal('scale'), lane, times: amount, by: amount }),
  range.extend({ op: z.literal('give lane back'), lane: lane.nullable() }),
]);
