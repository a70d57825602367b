import { setupFiguresSchema, type SetupFigures } from '../../core/placement/figures';
import type { Database } from './database';

interface LatencyRow {
  id: string;
  figures: string;
}

/** The latency figures of every set-up that was ever measured. */
export async function readLatency(db: Database): Promise<Record<string, SetupFigures>> {
  const rows = await db<LatencyRow>('latency');
  return Object.fromEntries(rows.map((r) => [r.id, setupFiguresSchema.parse(JSON.parse(r.figures))]));
}

export const setLatency = async (db: Database, id: string, figures: SetupFigures): Promise<void> => {
  await db('latency')
    .insert({ id, figures: JSON.stringify(figures) })
    .onConflict('id')
    .merge();
};
