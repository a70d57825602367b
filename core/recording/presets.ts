import { z } from 'zod';
import { briefSchema, PLAIN_PASS, type Brief } from '../document/brief';

/** Preset: the fields of a brief that are a way of recording; part, keys and bars belong to the song. */
export type Preset = Pick<Brief, keyof typeof PLAIN_PASS>;
const KEYS = Object.keys(PLAIN_PASS) as (keyof typeof PLAIN_PASS)[];

export const presetOf = (brief: Preset): Preset =>
  Object.fromEntries(KEYS.map((k) => [k, brief[k]])) as unknown as Preset;
export const presetSchema = z
  .unknown()
  .transform((given): unknown => ({ part: null, keyboard: null, range: null, ...PLAIN_PASS, ...(given as object) }))
  .pipe(briefSchema)
  .transform(presetOf);

/** A plain new take from the playhead: the bars that were chosen stay where they are, and are off. */
export const plainBrief = (): Partial<Brief> => ({ ...PLAIN_PASS, punchIn: false, punchOut: false });
