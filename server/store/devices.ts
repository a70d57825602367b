import { z } from 'zod';
import type { Database } from './database';

/** What is remembered of a keyboard, by its port's id. */
export const deviceSchema = z.object({ on: z.boolean() });
export type DeviceSettings = z.infer<typeof deviceSchema>;

export async function readDevices(db: Database): Promise<Record<string, DeviceSettings>> {
  const rows = await db<{ id: string; settings: string }>('devices');
  return Object.fromEntries(rows.map((r) => [r.id, deviceSchema.parse(JSON.parse(r.settings))]));
}

export async function setDevice(db: Database, id: string, settings: DeviceSettings): Promise<void> {
  const row = { id, settings: JSON.stringify(settings) };
  await db('devices').insert(row).onConflict('id').merge();
}
