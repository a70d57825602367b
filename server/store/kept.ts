import { KEPT, type Kept, type KeptKind } from '../../core/kept/kept';
import type { Database } from './database';

interface KeptRow {
  kind: KeptKind;
  name: string;
  value: string;
}

/** What is kept of a kind, by name. */
export async function readKept<K extends KeptKind>(db: Database, kind: K): Promise<Kept<K>> {
  const rows = await db<KeptRow>('kept').where({ kind }).orderBy('name');
  return KEPT[kind].parse(rows.map(({ name, value }) => ({ name, value: JSON.parse(value) as unknown })));
}

/** Takes the place of all of that kind; all or nothing. */
export const setKept = <K extends KeptKind>(db: Database, kind: K, kept: Kept<K>): Promise<void> =>
  db.transaction(async (tx) => {
    await tx('kept').where({ kind }).delete();
    if (kept.length > 0)
      await tx('kept').insert(kept.map(({ name, value }) => ({ kind, name, value: JSON.stringify(value) })));
  });
