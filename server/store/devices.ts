import { keyboardSchema, type KeyboardSettings } from '../../core/performance/keyboard';
import type { Database } from './database';

interface DeviceRow {
  id: string;
  settings: string;
}

/** What is remembered of each keyboard, by its port's id. */
export async function readDevices(db: Database): Promise<Record<string, KeyboardSettings>> {
  const rows = await db<DeviceRow>('devices');
  return Object.fromEntries(rows.map((r) => [r.id, keyboardSchema.parse(JSON.parse(r.settings))]));
}

/**
 * Remembers a keyboard otherwise.
 * @param to makes what is remembered from what was, if anything; what it throws leaves all as it was
 */
export const changeDevice = (
  db: Database,
  id: string,
  to: (before: KeyboardSettings | undefined) => KeyboardSettings,
): Promise<KeyboardSettings> =>
  db.transaction(async (tx) => {
    const before = await tx<DeviceRow>('devices').where({ id }).first();
    const settings = to(before && keyboardSchema.parse(JSON.parse(before.settings)));
    const row = { id, settings: JSON.stringify(settings) };
    await tx<DeviceRow>('devices').insert(row).onConflict('id').merge();
    return settings;
  });
