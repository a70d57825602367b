import { copySong, nextTitle } from '../../core/song/copy';
import type { Layer } from '../../core/takes/layer';
import type { Database } from './database';
import { addJob, type JobFacts } from './jobs';
import { addChunk, closedLayers, closeLayer, openLayer, readLayers } from './layers';
import { addSong, readSong } from './songs';

/** Adds a song with the layers of its takes. Run it in a transaction to add all or nothing. */
export async function addSongWithLayers(
  db: Database,
  id: string,
  jobId: string,
  document: Parameters<typeof addSong>[3],
  layers: readonly Layer[],
): Promise<void> {
  await addSong(db, id, jobId, document);
  for (const layer of layers) {
    await openLayer(db, id, layer.header, 'new take');
    await addChunk(db, layer.header.id, 0, layer.events);
    await closeLayer(db, layer.header.id, layer.closing);
  }
}

async function copyInto(
  db: Database,
  songId: string,
  jobId: string | null,
  newId: () => string,
  titles: readonly string[] | null,
): Promise<string | undefined> {
  const song = await readSong(db, songId);
  if (!song) return undefined;
  const layers = [...closedLayers(await readLayers(db, songId)).values()];
  const { title } = song.document;
  const copy = copySong(song.document, layers, titles ? nextTitle(title, titles) : title, newId);
  const id = newId();
  await addSongWithLayers(db, id, jobId ?? song.jobId, copy.document, copy.layers);
  return id;
}

/** Copies a song. @returns id of the copy; undefined where there is no such song */
export async function copySongOf(
  db: Database,
  songId: string,
  newId: () => string,
): Promise<{ id: string } | undefined> {
  return db.transaction(async (tx) => {
    const song = await readSong(tx, songId);
    if (!song) return undefined;
    const beside = await tx<{ document: string }>('songs')
      .where({ job_id: song.jobId } as never)
      .select('document');
    const titles = beside.map((row) => (JSON.parse(row.document) as { title: string }).title);
    const id = await copyInto(tx, songId, null, newId, titles);
    return id === undefined ? undefined : { id };
  });
}

/** Copies a job with the songs on its desk. */
export async function copyJob(
  db: Database,
  jobId: string,
  newId: () => string,
  at: string,
): Promise<{ id: string } | undefined> {
  return db.transaction(async (tx) => {
    const job = await tx<JobFacts>('jobs').where({ id: jobId }).first('title', 'client', 'due', 'notes');
    if (!job) return undefined;
    const titles = (await tx<JobFacts>('jobs').pluck('title')) as string[];
    const id = newId();
    await addJob(tx, { ...job, id, title: nextTitle(job.title, titles) }, at);
    const songs = await tx<{ id: string }>('songs')
      .where({ job_id: jobId, deleted_at: null } as never)
      .orderBy('position')
      .select('id');
    for (const song of songs) await copyInto(tx, song.id, id, newId, null);
    return { id };
  });
}
