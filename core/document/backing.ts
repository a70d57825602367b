import { z } from 'zod';
import { gainDb, id, name } from '../vocabulary/fields';

/** Track of a MIDI file that plays along, at the song's bars. */
const trackSchema = z
  .object({
    /** Index of the track in the file, as the reader numbers them. */
    track: z.number().int().min(0).max(4096),
    /** General MIDI program, 0 to 127; for drums the kit. */
    program: z.number().int().min(0).max(127),
    drums: z.boolean(),
  })
  .readonly();

const backing = z.object({
  id,
  name,
  /** Content hash of the file: audio, or a Standard MIDI File when `midi` is there. */
  audio: z.string().regex(/^[0-9a-f]{64}$/),
  midi: trackSchema.nullable().default(null),
  gainDb,
  /** Panorama, -1 left to 1 right. */
  pan: z.number().min(-1).max(1).default(0),
  muted: z.boolean(),
  solo: z.boolean(),
  /** True for a backing that is not transposed, such as drums or a click. */
  keepsPitch: z.boolean().default(false),
  /** Place of the file's start on the song's clock, in seconds; not used by MIDI tracks, which follow the bars. */
  offset: z.number().min(-3600).max(3600),
  length: z.number().min(0).max(36_000),
});
export const backingSchema = backing.readonly();
export const backingFields = backing.shape;
export type Backing = z.infer<typeof backingSchema>;

type NewBacking = Pick<Backing, 'id' | 'name' | 'audio' | 'length'> & Partial<Backing>;
/** Names of backings without a pitch. They must match whole, so that "Band, no click" is none. */
const PITCHLESS = /^(?:(?:click|drums?|perc(?:ussion)?|drum ?kit|metronome)(?: (?:track|stem|and|bpm|\d+))* ?)+$/i;
/** New backing at bar 1, with default settings. Drums and a click, by name, keep their pitch. */
export const newBacking = (facts: NewBacking): Backing => ({
  midi: null,
  gainDb: -4,
  pan: 0,
  muted: false,
  solo: false,
  keepsPitch: facts.midi?.drums ?? PITCHLESS.test(facts.name.replaceAll(/[^a-z0-9]+/gi, ' ').trim()),
  offset: 0,
  ...facts,
});
