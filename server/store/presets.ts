import { presetsSchema, type NamedPreset } from '../../core/recording/presets';
import type { Database } from './database';

interface PresetRow {
  name: string;
  brief: string;
}

/** Presets of the brief, by name. */
export async function readPresets(db: Database): Promise<readonly NamedPreset[]> {
  const rows = await db<PresetRow>('presets').orderBy('name');
  return presetsSchema.parse(rows.map(({ name, brief }) => ({ name, brief: JSON.parse(brief) as unknown })));
}

/** Takes the place of all that were there; all or nothing. */
export const setPresets = (db: Database, presets: readonly NamedPreset[]): Promise<void> =>
  db.transaction(async (tx) => {
    await tx('presets').delete();
    if (presets.length)
      await tx('presets').insert(presets.map(({ name, brief }) => ({ name, brief: JSON.stringify(brief) })));
  });
