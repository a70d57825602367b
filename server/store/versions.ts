import type { SongDocument } from '../../core/document/document';
import type { Part } from '../../core/document/part';
import { newestWith } from '../../core/handover/changed';
import { deliverySchema, USUAL_DELIVERY, type Delivery } from '../../core/handover/delivery';
import { versionFactsSchema, type Version, type VersionFacts } from '../../core/handover/version';
import type { Database } from './database';
import { songOf, textOf } from './songText';

interface VersionRow {
  song_id: string;
  number: number;
  at: string;
  document: string;
  facts: string;
}

/** Version with the song as it went out. */
export interface StoredVersion extends Version {
  readonly document: SongDocument;
}

const factsOf = ({ number, at, facts }: Omit<VersionRow, 'document'>): Version => ({
  number,
  at,
  ...versionFactsSchema.parse(JSON.parse(facts)),
});

/** Versions of a song, the first one first. */
export async function readVersions(db: Database, songId: string): Promise<Version[]> {
  const rows = await db<VersionRow>('versions')
    .where({ song_id: songId })
    .orderBy('number')
    .select('song_id', 'number', 'at', 'facts');
  return rows.map(factsOf);
}

/** Version with its song. */
export async function readVersion(db: Database, songId: string, number: number): Promise<StoredVersion | undefined> {
  const row = await db<VersionRow>('versions').where({ song_id: songId, number }).first();
  return row && { ...factsOf(row), document: songOf(row.document) };
}

/** Versions that tell what the client has of some parts, each with its song, the newest first. */
export async function readNewestWith(db: Database, songId: string, parts: readonly Part[]): Promise<StoredVersion[]> {
  const wanted = newestWith(
    await readVersions(db, songId),
    parts.map((p) => p.id),
  );
  return Promise.all(wanted.map(async (v) => (await readVersion(db, songId, v.number))!));
}

/** Stores a version. @returns false where its number is taken: another window was quicker */
export function addVersion(
  db: Database,
  songId: string,
  { number, at, document, ...facts }: StoredVersion,
): Promise<boolean> {
  return db.transaction(async (tx) => {
    const last = await tx<VersionRow>('versions').where({ song_id: songId }).max('number as n').first<{ n: number }>();
    if ((last?.n ?? 0) + 1 !== number) return false;
    await tx<VersionRow>('versions').insert({
      song_id: songId,
      ...{ number, at, document: textOf(document), facts: JSON.stringify(facts satisfies VersionFacts) },
    });
    return true;
  });
}

/** Delivery of a job, or the default. @returns undefined where there is no such job */
export async function readDelivery(db: Database, jobId: string): Promise<Delivery | undefined> {
  const row = await db<{ id: string; delivery: string | null }>('jobs').where({ id: jobId }).first('delivery');
  if (!row) return undefined;
  return row.delivery === null ? USUAL_DELIVERY : deliverySchema.parse(JSON.parse(row.delivery));
}

/** Changes some delivery settings of a job. @returns all of them; undefined where there is no such job */
export const changeDelivery = (db: Database, jobId: string, to: Partial<Delivery>): Promise<Delivery | undefined> =>
  db.transaction(async (tx) => {
    const before = await readDelivery(tx, jobId);
    if (!before) return undefined;
    const now = { ...before, ...to };
    await tx('jobs')
      .where({ id: jobId })
      .update({ delivery: JSON.stringify(now) });
    return now;
  });
