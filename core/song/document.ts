import { z } from 'zod';
import { MODES } from '../recording/clears';
import { ENDS } from '../timing/treatment';
import { GRIDS } from '../timing/grid';

/** The inks a part can be written in; their colours are the screen's business. */
export const INKS = ['sea', 'moss', 'plum', 'brass', 'rust', 'slate'] as const;

/** Sounds by our own names; the engine knows which preset each is. */
export const SOUNDS = [
  'concert grand', 'felt piano', 'tine piano', 'reed piano', 'tonewheel organ', 'clavi', 'string section', 'soft pad',
] as const;
export type Sound = (typeof SOUNDS)[number];

const id = z.string().min(1).max(80);
const name = z.string().trim().min(1).max(120);
const tick = z.number().finite().min(-1e9).max(1e9);
const gainDb = z.number().min(-60).max(12);
const range = { from: tick, to: tick };

const recipe = {
  grid: z.enum(GRIDS as [typeof GRIDS[number], ...typeof GRIDS]),
  strength: z.number().min(0).max(1),
  ends: z.enum(ENDS),
};
export const recipeSchema = z.object(recipe).readonly();

export const tempoChangeSchema = z.object({
  tick,
  bpm: z.number().min(5).max(1000),
  ramp: z.enum(['jump', 'linear']).optional(),
}).readonly();

export const meterChangeSchema = z.object({
  bar: z.number().int().min(1).max(100_000),
  beats: z.number().int().min(1).max(64),
  unit: z.number().refine((unit) => [1, 2, 4, 8, 16, 32].includes(unit), 'a beat is a 1, 1/2, 1/4, 1/8, 1/16 or 1/32 note'),
}).readonly();

export const placementSchema = z.object({
  policy: z.enum(['played', 'heard']),
  nudge: z.number().min(-1000).max(1000),
}).readonly();

const takeSchema = z.object({
  id,
  /** Counts up within the part; never used again. */
  number: z.number().int().min(1),
  layers: z.array(id).min(1),
  ...range,
  placement: placementSchema,
  /** ISO 8601. */
  at: z.string(),
}).readonly();

const pickSchema = z.object({ ...range, takeId: id }).readonly();
const treatmentSchema = z.object({ id, ...range, ...recipe }).readonly();

const partSchema = z.object({
  id,
  name,
  ink: z.enum(INKS),
  sound: z.enum(SOUNDS),
  gainDb,
  muted: z.boolean(),
  solo: z.boolean(),
  placement: placementSchema,
  takes: z.array(takeSchema).readonly(),
  comp: z.array(pickSchema).readonly(),
  treatments: z.array(treatmentSchema).readonly(),
  /** The written part that the Bench keyboard can perform, by its name in the demo, or null. */
  sheet: z.string().max(80).nullable(),
}).readonly();

const backingSchema = z.object({
  id,
  name,
  /** Content hash of the audio. */
  audio: z.string().regex(/^[0-9a-f]{64}$/),
  gainDb,
  muted: z.boolean(),
  solo: z.boolean(),
  /** Where the file's start lies on the song's clock. */
  offset: z.number().min(-3600).max(3600),
  length: z.number().min(0).max(36_000),
  /** Loudest sample in each tenth of a second, 0 to 1, for the chart's wave. */
  peaks: z.array(z.number().min(0).max(1)).readonly(),
}).readonly();

const sectionSchema = z.object({ id, name, bars: z.number().int().min(1).max(2000) }).readonly();

export const briefSchema = z.object({
  countOffBars: z.number().int().min(0).max(8),
  /** The part that hears the keys, or null. */
  part: id.nullable(),
  /** A port's id, or null for any. */
  keyboard: z.string().max(200).nullable(),
  mode: z.enum(MODES),
  /** The bars to record, or null: from the playhead to the song's end. */
  range: z.object(range).readonly().nullable(),
  quantize: recipeSchema.nullable(),
}).readonly();

export const songSchema = z.object({
  version: z.literal(1),
  title: name,
  /** In bars, from bar 1. */
  bars: z.number().int().min(1).max(5000),
  tempo: z.array(tempoChangeSchema).min(1).max(20_000).readonly(),
  meter: z.array(meterChangeSchema).min(1).max(5000).readonly(),
  /** In order, from bar 1; what they do not cover has no name. */
  sections: z.array(sectionSchema).max(500).readonly(),
  backings: z.array(backingSchema).max(32).readonly(),
  parts: z.array(partSchema).max(15).readonly(),
  click: z.object({ on: z.boolean(), gainDb }).readonly(),
  brief: briefSchema,
}).readonly();

export type SongDocument = z.infer<typeof songSchema>;
export type Part = SongDocument['parts'][number];
export type Take = Part['takes'][number];
export type Backing = SongDocument['backings'][number];
export type Section = SongDocument['sections'][number];
export type Brief = SongDocument['brief'];

export interface NewPart { readonly id: string; readonly name: string; readonly sound?: Sound; readonly sheet?: string | null; readonly gainDb?: number }

/** A part with nothing played; its ink follows from how many there are. */
export function newPart({ id: partId, name: title, sound = 'concert grand', sheet = null, gainDb: db = -6 }: NewPart, count: number): Part {
  return {
    id: partId, name: title, ink: INKS[count % INKS.length]!, sound, gainDb: db, muted: false, solo: false,
    placement: { policy: 'heard', nudge: 0 }, takes: [], comp: [], treatments: [], sheet,
  };
}

/** A song with one piano part that hears the keys, and nothing else set. */
export function newSong(title: string, partId: string): SongDocument {
  return {
    version: 1, title, bars: 32,
    tempo: [{ tick: 0, bpm: 100 }], meter: [{ bar: 1, beats: 4, unit: 4 }],
    sections: [], backings: [], parts: [newPart({ id: partId, name: 'Piano' }, 0)],
    click: { on: true, gainDb: -10 },
    brief: { countOffBars: 1, part: partId, keyboard: null, mode: 'new take', range: null, quantize: null },
  };
}
