import { KEPT, MOST_KEPT, type Kept, type KeptKind, type KeptOne } from '../../core/kept/kept';
import type { Database } from './database';
import { readable } from './unreadableRows';

interface KeptRow {
  kind: KeptKind;
  name: string;
  value: string;
}

/** Most entries of a kind are reached. */
export class TooManyKept extends Error {
  constructor() {
    super(`There are ${MOST_KEPT} of these already. Forget one that is not needed, and keep this one then.`);
  }
}

/** Entries of a kind; unreadable ones are left out. */
export async function readKept<K extends KeptKind>(db: Database, kind: K): Promise<Kept<K>> {
  const rows = await db<KeptRow>('kept').where({ kind }).orderBy('name');
  const found = readable(
    `What was kept among ${kind} as`,
    rows,
    (r) => r.name,
    ({ name, value }) => KEPT[kind].parse({ name, value: JSON.parse(value) as unknown }),
  );
  return [...found.values()].flatMap((one) => one ?? []);
}

/** Keeps a value under a name, replacing one that exists. @throws TooManyKept */
export const keepNamed = <K extends KeptKind>(db: Database, kind: K, { name, value }: KeptOne<K>): Promise<void> =>
  db.transaction(async (tx) => {
    const others = await tx<KeptRow>('kept').where({ kind }).whereNot({ name }).pluck('name');
    if (others.length >= MOST_KEPT) throw new TooManyKept();
    const row = { kind, name, value: JSON.stringify(value) };
    await tx<KeptRow>('kept').insert(row).onConflict(['kind', 'name']).merge();
  });

/** Forgets a name, if it exists. */
export const forgetNamed = async (db: Database, kind: KeptKind, name: string): Promise<void> => {
  await db<KeptRow>('kept').where({ kind, name }).delete();
};
