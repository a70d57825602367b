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
    /** It moves the take's first so many layers: later ones were recorded after it. */
    layers: z.number().int().min(1),
    /** And what its first so many edits by hand have put anywhere. */
    edits: z.number().int().min(0).default(0),
    /** Places of the song's former tempo that it came from, and of the one it went to, by their place in `clocks`. */
    from: z.number().int().min(0),
    to: z.number().int().min(0),
    /** In seconds: how much later it lies on the new clock. */
    shift: z.number().min(-7200).max(7200),
  })
  .readonly();

/** Marks of a take. */
export const MARKS = ['good', 'maybe', 'no'] as const;
export type Mark = (typeof MARKS)[number];

/** Facts that a player says of a take; none of it is heard. */
export const takeFacts = {
  name: z.string().max(60).default(''),
  note: z.string().max(2000).default(''),
  mark: z.enum(MARKS).nullable().default(null),
};

export const takeSchema = z
  .object({
    id,
    ...takeFacts,
    /** Counts up within the part; never used again. */
    number: z.number().int().min(1),
    layers: z.array(id).min(1),
    ...range,
    placement: placementSchema,
    /** Placements, by layer, of layers that were copied onto the take and keep their own. */
    placements: z.record(id, placementSchema).default({}),
    /** ISO 8601. */
    at: z.string(),
    /** Moves of its layers since they were recorded, when the tempo changed and they stayed with the recording. */
    warps: z.array(tempoWarpSchema).readonly().default([]),
    /** For a layer that lies in only some ranges of the take: another take was heard in the rest of its pass. */
    windows: z.record(id, z.array(z.object(range).readonly()).readonly()).default({}),
    /** Layers that are not heard. */
    muted: z.array(id).readonly().default([]),
    /** Changes by hand, in order. */
    edits: rememberedList(editSchema, { max: MOST_EDITS }).default([]),
  })
  .readonly();
export type Take = z.infer<typeof takeSchema>;

type NewTake = Pick<Take, 'id' | 'number' | 'layers' | 'from' | 'to' | 'placement' | 'at'> & Partial<Take>;
/** A take of which nothing has been said yet. */
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

/** Pick: the take that is heard in a range; the comp is made of these. */
export const pickSchema = z.object({ ...range, takeId: id, by: z.enum(PICKED_BY).optional() }).readonly();
/** One controller, or all of them, picked by themselves. */
export const lanePickSchema = z.object({ ...range, takeId: id, lane: z.string().max(40).nullable() }).readonly();

const noteId = z.string().min(1).max(120);
/** Choice for a join, and whether an ear has passed it. It counts where those two takes meet at that place. */
export const joinSchema = z
  .object({
    at: z.number().int(),
    before: id,
    after: id,
    held: z.enum(HELD),
    lift: z.boolean(),
    drop: z.array(noteId).max(200).readonly(),
    keep: z.array(noteId).max(200).readonly(),
    /** Fingerprint of its surroundings when it was passed by ear; null where it was not. */
    passed: z.string().max(40).nullable(),
  })
  .readonly();
export type Join = z.infer<typeof joinSchema>;

/** FNV-1a (Fowler, Noll, Vo), twice with different starts: 64 bits that tell one text from another. */
export function fingerprint(text: string): string {
  const hash = (start: number): number => {
    let value = start;
    for (let i = 0; i < text.length; i += 1) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
    return value >>> 0;
  };
  return [hash(0x811c9dc5), hash(0x9747b28c)].map((half) => half.toString(16).padStart(8, '0')).join('');
}
