import { z } from 'zod';
import { briefSchema, PLAIN_PASS, type Brief } from '../document/brief';

/** Preset: the fields of a brief that say how to record; part, keys and bars belong to the song. */
export type Preset = Pick<Brief, keyof typeof PLAIN_PASS>;
const KEYS = Object.keys(PLAIN_PASS) as (keyof typeof PLAIN_PASS)[];

export const presetOf = (brief: Preset): Preset =>
  Object.fromEntries(KEYS.map((k) => [k, brief[k]])) as unknown as Preset;
export const presetSchema = z
  .unknown()
  .transform((given): unknown => ({ part: null, keyboard: null, range: null, ...PLAIN_PASS, ...(given as object) }))
  .pipe(briefSchema)
  .transform(presetOf);

/** Fields of a plain new take from the playhead. The selected bars are kept, and switched off. */
export const plainBrief = (): Partial<Brief> => ({ ...PLAIN_PASS, punchIn: false, punchOut: false });
