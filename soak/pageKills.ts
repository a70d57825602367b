/**
 * The page, or the whole browser, killed at a random moment of a pass while somebody else changes the song: what was
 * struck a quarter of a second before is in the take that comes of it, each note once, and every change is in the
 * song.
 */
import type { Page } from 'playwright-core';
import type { SongDocument } from '../core/document/document';
import type { Seeded } from '../core/random';
import { change } from '../core/song/changes';
import { launch, launchMortal, open } from '../harness/browser';
import { onceTaken, recordFor, notesIn } from '../harness/recording';
import { addSong, post, readSong, startServer, until } from '../harness/server';
import type { OpenedSong } from '../harness/types';
import { holds, pause, search, type Counts, type Outcome, type Settings } from './search';

/** Kills the page's process as by a crash; everything in its memory is lost. */
async function crash(page: Page): Promise<void> {
  const devTools = await page.context().newCDPSession(page);
  const crashed = page.waitForEvent('crash');
  void devTools.send('Page.crash').catch(() => {});
  await crashed;
}

const MOST_PARTS = 12;
/** Another client of the song, which adds parts until it is stopped. */
function another(address: string, id: string): { readonly stop: () => Promise<number> } {
  let stopped = false;
  let added = 0;
  const work = (async () => {
    while (!stopped && added < MOST_PARTS) {
      const { document, revision } = await readSong(address, id);
      const part = { id: `another ${added}`, name: `Part ${added}` };
      const { patches, inverse } = change(document as SongDocument, { type: 'add part', part });
      const body = { id: `${id} ${added}`, base: revision, after: null, kind: 'do', name: 'x', patches, inverse };
      // The page's change came first: this one is made again on the newer song.
      const made = await post(address, `/api/songs/${id}/changes`, body).then(
        () => true,
        () => false,
      );
      if (made) added += 1;
      await pause(150);
    }
    return added;
  })();
  return {
    stop: () => {
      stopped = true;
      return work;
    },
  };
}

/** Each note exists once, whichever way it reached the server. */
function check(song: OpenedSong, due: number, struck: number, added: number): void {
  const [take] = song.document.parts[0]!.takes;
  const layers = song.layers.filter((l) => take!.layers.includes(l.header.id));
  const notes = layers.flatMap((l) => l.events).filter((e) => e.message.type === 'noteOn');
  holds(notes.length >= due, () => `${notes.length} notes in the take, ${due} were due`);
  holds(notes.length <= struck, () => `${notes.length} notes in the take, ${struck} were made`);
  holds(notesIn(song) === notes.length, () => 'the song holds notes that are in no take');
  const names = new Set(song.document.parts.map((p) => p.id));
  for (let i = 0; i < added; i += 1) holds(names.has(`another ${i}`), () => `the change ${i} is gone`);
}

async function one(address: string, random: Seeded, ofBrowser: boolean): Promise<Counts> {
  const id = await addSong(address, { tempo: [{ tick: 0, bpm: 200 }], bars: 64 });
  const mortal = await launchMortal();
  // Song of a browser that lives on.
  const other = ofBrowser ? await launch() : mortal.browser;
  try {
    const sounds = random.unit() < 0.5;
    const recording = await recordFor(mortal.browser, address, id, 1 + 5 * random.unit(), random.unit() < 0.3, sounds);
    const hand = another(address, id);
    await recording.time.move(random.integer(1, 700));
    const due = await recording.due();
    const dueSound = sounds ? await recording.dueSound() : 0;
    if (ofBrowser) await mortal.kill();
    else await crash(recording.page);
    const added = await hand.stop();
    const struck = await recording.struck();
    if (ofBrowser) await open(other, address, `/songs/${id}/play`);
    else await (await recording.context.newPage()).goto(`/songs/${id}/play`);
    check(await onceTaken(address, id), due, struck, added);
    if (!sounds) return { kills: 1, due, struck, changes: added };
    const { recordings, layers } = await until(async () => {
      const song = await readSong(address, id);
      return song.recordings.length > 0 && song;
    });
    const [{ zero, rate, first, frames }] = recordings as [(typeof recordings)[0]];
    const there = zero + (first + frames) / rate;
    holds(there >= dueSound, () => `sound to ${there} s, ${dueSound} s were due`);
    // Notes are in the take, not only stored.
    const end = Math.max(...layers.map((l) => l.closing!.range.to)) * (60 / 200 / 960);
    holds(end >= dueSound, () => `the take ends at ${end} s, sound to ${dueSound} s was due`);
    return { kills: 1, due, struck, changes: added, 'seconds of sound due': dueSound };
  } finally {
    // The page may be dead already.
    await mortal.kill().catch(() => {});
    if (ofBrowser) await other.close();
  }
}

/** @param what process that is killed */
export async function pageKills(what: 'page' | 'browser', settings: Settings): Promise<Outcome> {
  const running = await startServer();
  try {
    return await search(settings, (random) => one(running.address, random, what === 'browser'), 2);
  } finally {
    await running.end();
  }
}
