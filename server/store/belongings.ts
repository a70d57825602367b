/**
 * The sound that belongs to a song beside its row, its history and its layers. By this one description it is brought
 * back from a backup, put into an archive, and kept from being counted as unused.
 */
import { banksIn, filesIn, soundedAgainIn } from '../../core/document/sounds';
import type { SongDocument } from '../../core/document/document';
import type { LayerHeader } from '../../core/takes/layer';
import type { Database } from './database';

/** Hashes and ids of a song's audio. */
export interface Belongings {
  /** Hashes of its backings, now and in its versions. */
  readonly backings: readonly string[];
  /** Hashes of the sound banks that its parts use, as far as they are stored. */
  readonly banks: readonly string[];
  /**
   * Ids of recordings: of its layers, of its lines that were sounded again, and those made for it that undo can bring
   * back. Recordings of a copied song were made for its original.
   */
  readonly recordings: readonly string[];
}

export async function belongingsOf(db: Database, songId: string): Promise<Belongings> {
  const texts = [
    ...(await db('songs').where({ id: songId }).pluck('document')),
    ...(await db('versions').where({ song_id: songId }).pluck('document')),
  ] as string[];
  const documents = texts.map((text) => JSON.parse(text) as Partial<SongDocument>);
  const headers = (await db('layers').where({ song_id: songId }).pluck('header')) as string[];
  const played = headers.flatMap((text) => (JSON.parse(text) as LayerHeader).sound?.recording ?? []);
  const made = (await db('recordings').where({ song_id: songId }).pluck('id')) as string[];
  return {
    backings: [...new Set(documents.flatMap(filesIn))].sort(),
    banks: (await db('audio')
      .whereIn('hash', [...new Set(documents.flatMap(banksIn))])
      .orderBy('hash')
      .pluck('hash')) as string[],
    recordings: [...new Set([...played, ...documents.flatMap(soundedAgainIn), ...made])].sort(),
  };
}
