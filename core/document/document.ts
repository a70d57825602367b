import { z } from 'zod';
import { meterSchema, tempoSchema } from '../time/schema';
import { gainDb, name } from '../vocabulary/fields';
import { keySchema } from '../vocabulary/key';
import {
  FARTHEST_TUNING,
  LONGEST_NOTES,
  MOST_BACKINGS,
  MOST_BARS,
  MOST_NOTES,
  MOST_PARTS,
  MOST_SECTIONS,
  MOST_TRANSPOSED,
} from '../vocabulary/limits';
import { rememberedList } from '../vocabulary/rememberedList';
import { backingSchema } from './backing';
import { briefSchema, newBrief } from './brief';
import { clientNoteSchema } from './clientNote';
import { clickSchema } from './click';
import { newPart, partSchema } from './part';
import { sectionSchema } from './section';
import { NO_SHEET, sheetSchema } from './sheet';
import { transposedFromSchema } from './transposition';
import { DOCUMENT_VERSION, upToDate } from './versions';
import { writtenBarSchema } from './writtenBar';
import { waivedSchema } from './waived';

const song = z.object({
  version: z.literal(DOCUMENT_VERSION),
  title: name,
  notes: z.string().max(LONGEST_NOTES).default(''),
  /** In bars, from bar 1. */
  bars: z.number().int().min(1).max(MOST_BARS),
  tempo: tempoSchema,
  meter: meterSchema,
  /** Sections in order from bar 1; bars that they do not cover have no name. */
  sections: z.array(sectionSchema).max(MOST_SECTIONS).readonly(),
  backings: z.array(backingSchema).max(MOST_BACKINGS).readonly(),
  parts: z.array(partSchema).max(MOST_PARTS).readonly(),
  click: clickSchema,
  /** Level of the sections' rhythms. */
  rhythm: z.object({ gainDb, muted: z.boolean() }).readonly().default({ gainDb: -8, muted: false }),
  /** Former tempo maps, for takes that kept their seconds. */
  clocks: rememberedList(tempoSchema, { max: 500 }).default([]),
  /** Practice speed, 1 as written. */
  speed: z.number().min(0.5).max(1).default(1),
  brief: briefSchema,
  /** Key signature, where it is known. */
  key: keySchema.nullable().default(null),
  /** Findings of checks that the player accepted. */
  waived: z.array(waivedSchema).max(2000).readonly().default([]),
  /** Client's notes, in the client's order. */
  clientNotes: z.array(clientNoteSchema).max(MOST_NOTES).readonly().default([]),
  /** Written part by bar, in order; empty bars are left out. */
  written: z.array(writtenBarSchema).max(MOST_BARS).readonly().default([]),
  /** Tuning of the instruments, in cents against an A of 440 Hz. */
  tuning: z.number().min(-FARTHEST_TUNING).max(FARTHEST_TUNING).default(0),
  /** Transposition from a bar on, in order; none before the first. */
  transposition: z.array(transposedFromSchema).max(MOST_TRANSPOSED).readonly().default([]),
  /** Client's pages, the places of systems, and marks. */
  sheet: sheetSchema.default(NO_SHEET),
});
export const songSchema = song.readonly();
/** Parses a song of any version. @throws NewerSong */
export const storedSongSchema = z.preprocess((stored) => upToDate(stored), songSchema);
export const songFields = song.shape;
export type SongDocument = z.infer<typeof songSchema>;

/** Default values of those fields that have one. */
export const PLAIN: Pick<
  SongDocument,
  | 'notes'
  | 'click'
  | 'rhythm'
  | 'clocks'
  | 'speed'
  | 'key'
  | 'waived'
  | 'clientNotes'
  | 'written'
  | 'tuning'
  | 'transposition'
  | 'sheet'
> = {
  notes: '',
  click: { sound: 'tone', accent: true, subdivision: 1, when: 'always', gainDb: -10 },
  rhythm: { gainDb: -8, muted: false },
  clocks: [],
  speed: 1,
  key: null,
  waived: [],
  clientNotes: [],
  written: [],
  tuning: 0,
  transposition: [],
  sheet: NO_SHEET,
};

/** New song with one armed piano part, otherwise default. */
export function newSong(title: string, partId: string): SongDocument {
  return {
    version: DOCUMENT_VERSION,
    title,
    bars: 32,
    tempo: [{ tick: 0, bpm: 100 }],
    meter: [{ bar: 1, beats: 4, unit: 4 }],
    sections: [],
    backings: [],
    parts: [newPart({ id: partId, name: 'Piano' }, 0)],
    ...PLAIN,
    brief: newBrief(partId),
  };
}
