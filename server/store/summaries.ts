import { atHand } from '../../core/document/part';
import { fingerprint } from '../../core/document/take';
import { barStates, runsOf, type BarRun } from '../../core/reading/barStates';
import { songReader } from '../../core/reading/reading';
import type { SongDocument } from '../../core/document/document';
import { standingOf, type Standing } from '../../core/handover/deliveryProgress';
import { partsWanted } from '../../core/handover/files';
import type { Database } from './database';
import { closedLayers, readLayers } from './layers';
import { readSong } from './songs';
import { readDelivery, readNewestWith } from './versions';

/** Part, as the Desk shows it. */
export interface PartProgress {
  readonly id: string;
  readonly name: string;
  readonly ink: SongDocument['parts'][number]['ink'];
  readonly takes: number;
  readonly bars: readonly BarRun[];
}

/** Song, as the Desk shows it, on any shelf. */
export interface Summary {
  readonly id: string;
  readonly notes: string;
  readonly title: string;
  readonly bars: number;
  readonly bpm: number;
  readonly meter: string;
  readonly parts: readonly PartProgress[];
  readonly standing: Standing;
  /** True for a song that cannot be read: it stays as it is, and the rest of the Desk is shown. */
  readonly unreadable?: boolean;
  /** True if a newer version of the program made it. */
  readonly newer?: boolean;
}

/** Inputs of a summary: a cached one is valid as long as none changes. */
export interface Source {
  readonly id: string;
  readonly revision: number;
  /** Stored delivery of the job; null for the default. */
  readonly delivery: string | null;
  /** Number of the last handed-over version; 0 before the first. */
  readonly version: number;
}

/** Version of the summaries' content, counted up when the same song gets another summary. */
const MADE = 4;
const fingerprintOf = ({ id, revision, delivery, version }: Source): string =>
  fingerprint(JSON.stringify([MADE, id, revision, delivery, version]));

/** @returns undefined where there is no such song */
async function made(db: Database, id: string): Promise<Summary | undefined> {
  const song = await readSong(db, id);
  if (!song) return undefined;
  const layers = closedLayers(await readLayers(db, id));
  const { document } = song;
  const reader = songReader(document, layers);
  const meter = document.meter[0]!;
  const delivery = (await readDelivery(db, song.jobId))!;
  const wanted = partsWanted(document, delivery);
  return {
    id,
    title: document.title,
    notes: document.notes,
    bars: document.bars,
    bpm: document.tempo[0]!.bpm,
    meter: `${meter.beats}/${meter.unit}`,
    parts: atHand(document.parts).map((part) => ({
      id: part.id,
      name: part.name,
      ink: part.ink,
      takes: part.takes.length,
      bars: runsOf(barStates(part, layers, document, reader)),
    })),
    standing: standingOf(document, layers, delivery, await readNewestWith(db, id, wanted), reader),
  };
}

/** Summaries being computed, by their inputs, shared by all callers. */
const underWay = new WeakMap<Database, Map<string, Promise<Summary | undefined>>>();

/** Cached summaries of all songs, as stored, by song id. */
export async function keptSummaries(db: Database): Promise<ReadonlyMap<string, string>> {
  const rows = await db<{ song_id: string; summary: string }>('song_summaries').select('song_id', 'summary');
  return new Map(rows.map((row) => [row.song_id, row.summary]));
}

/**
 * A song as the Desk shows it. Reading its lines takes a while: what came out is kept beside the song, with a
 * fingerprint of what it was worked out of. That is read first and the song after it, so what is kept is never older
 * than its fingerprint.
 * @param kept what was kept of it
 * @param write by which it is kept
 * @returns undefined where there is no such song
 * @throws ZodError or SyntaxError where it cannot be read
 */
export async function summaryOf(
  db: Database,
  source: Source,
  kept: string | undefined,
  write: Database,
): Promise<Summary | undefined> {
  const { id, revision } = source;
  const fingerprint = fingerprintOf(source);
  const { fingerprint: of, ...known } = JSON.parse(kept ?? '{}') as Summary & { readonly fingerprint?: string };
  if (of === fingerprint) return known;
  const all = underWay.get(write) ?? new Map<string, Promise<Summary | undefined>>();
  underWay.set(write, all);
  const there = all.get(fingerprint);
  if (there) return there;
  const making = made(db, id).then((summary) => {
    // The Desk need not wait for the cache.
    if (summary)
      write('song_summaries')
        .insert({ song_id: id, revision, summary: JSON.stringify({ ...summary, fingerprint }) })
        .onConflict('song_id')
        .merge()
        .catch((error: unknown) => console.error('What the Desk shows of a song was not kept:', error));
    return summary;
  });
  all.set(fingerprint, making);
  return making.finally(() => all.delete(fingerprint));
}

/** Summary of an unreadable song. @param newer true if a newer version of the program made it */
export const unreadable = (id: string, newer: boolean): Summary => ({
  id,
  title: newer ? 'A song of a newer version' : 'A song that cannot be read',
  notes: '',
  bars: 0,
  bpm: 0,
  meter: '',
  parts: [],
  standing: { state: 'nothing', things: 0, version: 0 },
  unreadable: true,
  newer,
});
