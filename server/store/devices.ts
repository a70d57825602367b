import { keyboardSchema, type KeyboardSettings } from '../../core/performance/keyboard';
import type { Database } from './database';
import { readable } from './unreadableRows';

interface DeviceRow {
  id: string;
  settings: string;
}

const settingsIn = (rows: readonly DeviceRow[]): Map<string, KeyboardSettings | null> =>
  readable(
    'What is remembered of the keyboard',
    rows,
    (r) => r.id,
    (r) => keyboardSchema.parse(JSON.parse(r.settings)),
  );

/** Settings of all keyboards by port id; null for unreadable ones. */
export const readDevices = async (db: Database): Promise<Record<string, KeyboardSettings | null>> =>
  Object.fromEntries(settingsIn(await db<DeviceRow>('devices')));

/**
 * Changes a keyboard's settings.
 * @param to gives the new settings from the old ones, if any; nothing changes where it throws
 */
export const changeDevice = (
  db: Database,
  id: string,
  to: (before: KeyboardSettings | undefined) => KeyboardSettings,
): Promise<KeyboardSettings> =>
  db.transaction(async (tx) => {
    const before = settingsIn(await tx<DeviceRow>('devices').where({ id })).get(id);
    const settings = to(before ?? undefined);
    const row = { id, settings: JSON.stringify(settings) };
    await tx<DeviceRow>('devices').insert(row).onConflict('id').merge();
    return settings;
  });
