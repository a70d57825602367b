import { z } from 'zod';
import { storedSongSchema } from '../document/document';
import { deliverySchema } from '../handover/delivery';
import { versionFactsSchema } from '../handover/version';
import { patchesSchema } from '../song/history';
import { layerClosingSchema, layerEventSchema, layerHeaderSchema, recordingSchema } from '../takes/schema';
import { name } from '../vocabulary/fields';
import { LONGEST_NOTES } from '../vocabulary/limits';
import { MODES } from '../vocabulary/modes';

/** Archive of a job: an open zip from which everything can be restored. `docs/formats.md` describes its content. */
export const ARCHIVE_VERSION = 4;
export const MANIFEST = 'tall-kettle.json';
export const README = 'README.txt';

/** Limits of songs in a job, and of layers and versions in a song; larger numbers are invalid. */
const MOST_SONGS = 2000;
export const MOST_ENTRIES = 200_000;
/** Most bytes of the list, of another JSON file, and of one sound. */
export const MOST_LIST = 16 * 2 ** 20;
export const MOST_JSON = 128 * 2 ** 20;
export const MOST_AUDIO = 8 * 2 ** 30;
/** Most bytes that an archive may unpack to: a multiple of its own, plus a constant. */
export const MOST_GROWTH = 40;
export const GROWTH_BESIDE = 16 * 2 ** 20;
/** Deepest nesting of its JSON. */
export const DEEPEST = 100;

/** Id of a job or song. It becomes part of paths, so it is restricted to safe characters. */
const addressId = z.string().regex(/^[\w-]{1,80}$/);
const day = z.string().max(40);
const sha256 = z.string().regex(/^[0-9a-f]{64}$/);

export const manifestSchema = z.object({
  format: z.literal('tall-kettle archive'),
  version: z.number().int().min(1),
  /** ISO 8601. */
  at: day,
  job: z.object({
    id: addressId,
    title: name,
    client: z.string().max(200),
    due: day.nullable(),
    notes: z.string().max(LONGEST_NOTES),
    createdAt: day,
    away: day.nullable(),
    deleted: day.nullable(),
    delivery: deliverySchema.nullable(),
  }),
  songs: z.number().int().min(0).max(MOST_SONGS),
  /** Other files in it, with length and checksum. */
  files: z.record(z.string().max(200), z.object({ bytes: z.number().int().min(0), sha256 })),
});
export type Manifest = z.output<typeof manifestSchema>;

export const songEntrySchema = z.object({
  id: addressId,
  position: z.number().int().min(0).max(1e6),
  revision: z.number().int().min(0),
  away: day.nullable(),
  deleted: day.nullable(),
  document: storedSongSchema,
});
export type SongEntry = z.output<typeof songEntrySchema>;

export const historyEntrySchema = z.object({
  revision: z.number().int().min(1),
  id: z.string().min(1).max(80).nullable(),
  kind: z.enum(['do', 'set', 'undo', 'redo']),
  name: z.string().min(1).max(60),
  patches: patchesSchema,
  inverse: patchesSchema,
  at: day,
});

export const layerEntrySchema = z.object({
  header: layerHeaderSchema,
  mode: z.enum(MODES),
  closing: layerClosingSchema.nullable(),
  taken: z.boolean(),
  events: z.array(layerEventSchema).max(2_000_000),
});

/** Recordings of outside instruments that the song's layers refer to. */
export const recordingsEntrySchema = z.array(recordingSchema).max(MOST_ENTRIES);

export const versionEntrySchema = z.object({
  number: z.number().int().min(1),
  at: day,
  document: storedSongSchema,
  facts: versionFactsSchema,
});

/** Kind of a file in an archive, by its name; undefined for a name that no archive has. */
export type EntryKind =
  | { readonly kind: 'manifest' | 'readme' }
  | { readonly kind: 'song' | 'history' | 'recordings'; readonly song: number }
  | { readonly kind: 'layer' | 'version'; readonly song: number; readonly index: number }
  | { readonly kind: 'audio'; readonly hash: string };

const IN_SONG =
  /^songs\/(\d{1,4})\/(?:(song\.json)|(history\.jsonl)|(recordings\.json)|(layers|versions)\/(\d{1,6})\.json)$/;
const AUDIO = /^audio\/([0-9a-f]{64})\.[a-z0-9]{2,5}$/;

export function kindOfEntry(path: string): EntryKind | undefined {
  if (path === MANIFEST) return { kind: 'manifest' };
  if (path === README) return { kind: 'readme' };
  const audio = AUDIO.exec(path);
  if (audio) return { kind: 'audio', hash: audio[1]! };
  const inSong = IN_SONG.exec(path);
  if (!inSong) return undefined;
  const song = Number(inSong[1]);
  if (inSong[2]) return { kind: 'song', song };
  if (inSong[3]) return { kind: 'history', song };
  if (inSong[4]) return { kind: 'recordings', song };
  return { kind: inSong[5] === 'layers' ? 'layer' : 'version', song, index: Number(inSong[6]) };
}

export const songPath = (song: number): string => `songs/${song}/song.json`;
export const historyPath = (song: number): string => `songs/${song}/history.jsonl`;
export const recordingsPath = (song: number): string => `songs/${song}/recordings.json`;
export const layerPath = (song: number, index: number): string => `songs/${song}/layers/${index}.json`;
export const versionPath = (song: number, number: number): string => `songs/${song}/versions/${number}.json`;
export const audioPath = (hash: string, ending: string): string => `audio/${hash}.${ending}`;

/** Read-me for people who open the zip without the program. */
export const readmeOf = (title: string): string => `${title}

An archive of a job: everything that was played, picked, tidied and handed over.

tall-kettle.json          the job, and length and SHA-256 of every other file
songs/N/song.json         a song: tempo, meter, sections, parts, takes, picks, changes by hand, treatments
songs/N/history.jsonl     its changes, one to a line, the first first; patches are JSON paths and values
songs/N/layers/N.json     what a pass recorded: events with their arrival in seconds of the song
songs/N/recordings.json   which sound was recorded beside the keys, and where it lies in its pass
songs/N/versions/N.json   what was handed over, with the song as it was then
audio/HASH.*              backings as they came and recorded sound, each under its SHA-256

Song time is in ticks, 960 to a quarter note; bar 1 beat 1 is 0.
`;
