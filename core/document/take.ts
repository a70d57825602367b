import { z } from 'zod';
import type { Placement } from '../placement/place';
import { placementSchema } from '../placement/schema';
import { HELD } from '../takes/join';
import { PICKED_BY } from '../takes/line';
import { editSchema } from '../takes/schema';
import { id, range } from '../vocabulary/fields';
import { rememberedList } from '../vocabulary/rememberedList';

const MOST_EDITS = 200_000;

const tempoWarpSchema = z
  .object({
    /** Number of the take's first layers that it moves; later ones were recorded after it. */
    layers: z.number().int().min(1),
    /** Number of the take's first hand edits whose places it moves. */
    edits: z.number().int().min(0).default(0),
    /** Indices in `clocks` of the former tempo and of the one that followed. */
    from: z.number().int().min(0),
    to: z.number().int().min(0),
    /** Seconds by which it is later on the new clock. */
    shift: z.number().min(-7200).max(7200),
  })
  .readonly();

/** Marks of a take. */
export const MARKS = ['good', 'maybe', 'no'] as const;
export type Mark = (typeof MARKS)[number];

/** Facts that the player states about a take; none changes its sound. */
export const takeFacts = {
  name: z.string().max(60).default(''),
  note: z.string().max(2000).default(''),
  mark: z.enum(MARKS).nullable().default(null),
};

export const takeSchema = z
  .object({
    id,
    ...takeFacts,
    /** Number within the part, counting up and never reused. */
    number: z.number().int().min(1),
    layers: z.array(id).min(1),
    ...range,
    placement: placementSchema,
    /** Placements of layers that were copied onto the take and keep their own. */
    placements: z.record(id, placementSchema).default({}),
    /** ISO 8601. */
    at: z.string(),
    /** Changes of tempo through which its layers kept their seconds. */
    warps: z.array(tempoWarpSchema).readonly().default([]),
    /** Ranges of a layer that belongs to only part of the take, as other takes were heard in the rest of its pass. */
    windows: z.record(id, z.array(z.object(range).readonly()).readonly()).default({}),
    /** Muted layers. */
    muted: z.array(id).readonly().default([]),
    /** Hand edits, in order. */
    edits: rememberedList(editSchema, { max: MOST_EDITS }).default([]),
  })
  .readonly();
export type Take = z.infer<typeof takeSchema>;

type NewTake = Pick<Take, 'id' | 'number' | 'layers' | 'from' | 'to' | 'placement' | 'at'> & Partial<Take>;
/** New take with default settings. */
export const newTake = (facts: NewTake): Take => ({
  name: '',
  note: '',
  mark: null,
  placements: {},
  warps: [],
  windows: {},
  muted: [],
  edits: [],
  ...facts,
});

/** Placement of a take's layer: its own, or the take's. */
export const placementOf = (
  { placement, placements }: Pick<Take, 'placement' | 'placements'>,
  layer: string,
): Placement => placements[layer] ?? placement;

/** Pick of a take in a range; the comp is a list of these. */
export const pickSchema = z.object({ ...range, takeId: id, by: z.enum(PICKED_BY).optional() }).readonly();
/** Pick of one controller, or all of them, without the notes. */
export const lanePickSchema = z.object({ ...range, takeId: id, lane: z.string().max(40).nullable() }).readonly();

const noteId = z.string().min(1).max(120);
/** Choice for a join, and whether it was accepted by ear. It applies while those two takes meet at that place. */
export const joinSchema = z
  .object({
    at: z.number().int(),
    before: id,
    after: id,
    held: z.enum(HELD),
    lift: z.boolean(),
    drop: z.array(noteId).max(200).readonly(),
    keep: z.array(noteId).max(200).readonly(),
    /** Fingerprint of its surroundings when it was accepted by ear; null where it was not. */
    passed: z.string().max(40).nullable(),
  })
  .readonly();
export type Join = z.infer<typeof joinSchema>;

/** FNV-1a hash (Fowler, Noll, Vo) from two different starts, 64 bits in all. */
export function fingerprint(text: string): string {
  const hash = (start: number): number => {
    let value = start;
    for (let i = 0; i < text.length; i += 1) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
    return value >>> 0;
  };
  return [hash(0x811c9dc5), hash(0x9747b28c)].map((half) => half.toString(16).padStart(8, '0')).join('');
}
