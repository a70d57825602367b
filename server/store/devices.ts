import { keyboardSchema, type KeyboardSettings } from '../../core/performance/keyboard';
import type { Database } from './database';

/** What is remembered of each keyboard, by its port's id. */
export async function readDevices(db: Database): Promise<Record<string, KeyboardSettings>> {
  const rows = await db<{ id: string; settings: string }>('devices');
  return Object.fromEntries(rows.map((r) => [r.id, keyboardSchema.parse(JSON.parse(r.settings))]));
}

export async function setDevice(db: Database, id: string, settings: KeyboardSettings): Promise<void> {
  const row = { id, settings: JSON.stringify(settings) };
  await db('devices').insert(row).onConflict('id').merge();
}
