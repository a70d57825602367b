import { z } from 'zod';
import { deliverySchema } from './delivery';
import { id, name } from '../vocabulary/fields';

/** Level as stored, as JSON has no minus infinity. */
const level = z
  .number()
  .nullable()
  .transform((v) => v ?? -Infinity);
const levelsSchema = z.object({ peak: level, truePeak: level, loudness: level });

const fileSchema = z.object({
  name: z.string().min(1).max(400),
  bytes: z.number().int().min(0),
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  seconds: z.number().min(0).nullable(),
  levels: levelsSchema.nullable(),
});
/** File that went out. */
export type VersionFile = z.output<typeof fileSchema>;

/** Version that went out, stored beside its song. */
export const versionFactsSchema = z.object({
  delivery: deliverySchema,
  job: z.object({ title: name, client: z.string().max(200) }),
  /** The parts that went out. */
  parts: z.array(id).max(200),
  /** Changes since the version before, in words; null for the first. */
  changed: z.array(z.string().max(4000)).max(200).nullable(),
  onlyChanged: z.boolean(),
  /** True if its parts were selected for this version alone. */
  alone: z.boolean().optional(),
  files: z.array(fileSchema).max(5000),
});
export type VersionFacts = z.output<typeof versionFactsSchema>;

/** Version, as the list shows it. */
export interface Version extends VersionFacts {
  readonly number: number;
  /** ISO 8601. */
  readonly at: string;
}
