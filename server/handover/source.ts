import type { SongDocument } from '../../core/document/document';
import { mapsOf } from '../../core/document/maps';
import type { Part } from '../../core/document/part';
import { changedSince, changedWords } from '../../core/handover/changed';
import { sameDelivery, type Delivery } from '../../core/handover/delivery';
import { hasSomething, partsGoing, partsWanted } from '../../core/handover/files';
import { lineOf, type Layers, songReader } from '../../core/reading/reading';
import type { Recordings } from '../../core/takes/sound';
import type { Database } from '../store/database';
import { closedLayers, readLayers } from '../store/layers';
import { recordingsOf } from '../store/recordings';
import { readSong } from '../store/songs';
import { readDelivery, readNewestWith, readVersion, type StoredVersion } from '../store/versions';

/** Parts that are made: all, those changed since they went out, or some by id. */
export type Which = 'all' | 'changed' | readonly string[];
/** Request for files of the present song, or of an earlier version. */
export type Wish =
  /** Present song, with the revision and delivery that are on screen: nothing is made of others. */
  | { readonly revision: number; readonly which: Which; readonly delivery?: Delivery | undefined }
  /** Number of an earlier version. */
  | { readonly again: number };

/** Source from which a run makes its files. */
export interface Source {
  readonly document: SongDocument;
  readonly delivery: Delivery;
  readonly parts: readonly Part[];
  readonly layers: Layers;
  readonly recordings: Recordings;
  readonly job: { readonly title: string; readonly client: string };
  readonly version: number;
  readonly at: string;
  readonly changed: readonly string[] | null;
  readonly onlyChanged: boolean;
  readonly alone: boolean;
  /** Files of an earlier version, as they were. */
  readonly before: StoredVersion | null;
}
/** Error with the reason why nothing can be made. */
export class NothingToMake extends Error {
  constructor(
    readonly status: 404 | 409 | 422,
    message: string,
  ) {
    super(message);
  }
}

async function jobOf(db: Database, jobId: string): Promise<Source['job']> {
  const row = await db<{ id: string; title: string; client: string }>('jobs').where({ id: jobId }).first();
  return { title: row?.title ?? '', client: row?.client ?? '' };
}

/** Source for a request. @throws NothingToMake */
export async function sourceOf(db: Database, songId: string, wish: Wish, at: string): Promise<Source> {
  const song = await readSong(db, songId);
  if (!song) throw new NothingToMake(404, 'That song is not there.');
  const layers = closedLayers(await readLayers(db, songId));
  const recordedFor = async (document: SongDocument): Promise<{ layers: Layers; recordings: Recordings }> => {
    const found = await recordingsOf(db, [...layers.values()], [document]);
    return { layers, recordings: new Map(found.map((r) => [r.id, r])) };
  };
  if ('again' in wish) {
    const before = await readVersion(db, songId, wish.again);
    if (!before) throw new NothingToMake(404, `There is no version ${wish.again} of this song.`);
    const { document, delivery, job, at: then, changed, onlyChanged, alone = false, number } = before;
    const parts = document.parts.filter((p) => before.parts.includes(p.id));
    return {
      ...{ document, delivery, parts, ...(await recordedFor(document)), job, version: number, at: then },
      ...{ changed, onlyChanged, alone, before },
    };
  }
  if (song.revision !== wish.revision)
    throw new NothingToMake(409, 'The song has changed since this page read it. Nothing was made; try it once more.');
  const { document } = song;
  const delivery = (await readDelivery(db, song.jobId))!;
  if (wish.delivery && !sameDelivery(wish.delivery, delivery))
    throw new NothingToMake(
      409,
      'The delivery was set otherwise in another window. Nothing was made; see what it is now.',
    );
  const wanted = partsWanted(document, delivery);
  const out = await readNewestWith(db, songId, wanted);
  const changes = out.length > 0 ? changedSince(out, document, wanted, layers) : null;
  const maps = mapsOf(document);
  const read = songReader(document, layers).read;
  const going = partsGoing(document, delivery, (part) =>
    hasSomething(part, lineOf(part, read, maps), layers, document, maps),
  );
  const { which } = wish;
  const alone = typeof which !== 'string';
  // A change of the whole song changes all parts.
  const onlyChanged = which === 'changed' && changes?.song.length === 0;
  const named = alone ? which : going.map((p) => p.id);
  const some = onlyChanged ? changes.parts.map((c) => c.id) : named;
  const parts = going.filter((p) => some.includes(p.id));
  if (parts.length === 0)
    throw new NothingToMake(
      422,
      going.length === 0 || alone
        ? 'No part with notes goes out, so there is nothing to make.'
        : 'No part has changed.',
    );
  // Changes of parts outside this version are left out.
  const own = changes && alone ? { ...changes, parts: changes.parts.filter((c) => which.includes(c.id)) } : changes;
  return {
    ...{ document, delivery, parts, ...(await recordedFor(document)), job: await jobOf(db, song.jobId) },
    ...{ version: (out[0]?.number ?? 0) + 1, at, changed: own && changedWords(own) },
    ...{ onlyChanged, alone, before: null },
  };
}
