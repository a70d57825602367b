import { setupFiguresSchema, type SetupFigures } from '../../core/placement/figures';
import type { Database } from './database';
import { readable } from './unreadableRows';

interface LatencyRow {
  id: string;
  figures: string;
}

/** Latencies of all measured set-ups; null for unreadable ones. */
export const readLatency = async (db: Database): Promise<Record<string, SetupFigures | null>> =>
  Object.fromEntries(
    readable(
      'The latency of the set-up',
      await db<LatencyRow>('latency'),
      (r) => r.id,
      (r) => setupFiguresSchema.parse(JSON.parse(r.figures)),
    ),
  );

export const setLatency = async (db: Database, id: string, figures: SetupFigures): Promise<void> => {
  await db('latency')
    .insert({ id, figures: JSON.stringify(figures) })
    .onConflict('id')
    .merge();
};
