import { defineStore } from 'pinia';
import { closedWhereCutOff, passesWithoutTake } from '~~/core/song/recovery';
import type { Layer } from '~~/core/takes/layer';
import type { Milliseconds } from '~~/core/time/units';
import { ask, type OpenedSong, type StoredLayer } from '~/api/api';
import { strandedLayers } from '~/keeping/arrivals';
import { useKeeping } from '~/keeping/keeping';
import { anyErrands } from '~/keeping/store';
import { useNotices } from '~/notices/notices';
import { useLayers } from './layers';
import { useSong } from './song';

/** What is left of an earlier visit is waited for so long; then the song opens, and it is sent meanwhile. */
const PATIENCE: Milliseconds = 4000;
/** A layer that another browser was recording is looked at again after this. */
const LOOK_AGAIN: Milliseconds = 12_000;

const whole = ({ header, closing, events }: StoredLayer): [string, Layer][] =>
  closing ? [[header.id, { header, closing, events }]] : [];
const atMost = (work: Promise<unknown>, patience: Milliseconds): Promise<unknown> =>
  Promise.race([work.catch(() => {}), new Promise((done) => setTimeout(done, patience))]);

/** Opens songs, and brings back what an earlier visit left undone. */
export const useOpening = defineStore('opening', () => {
  const song = useSong();
  const layers = useLayers();
  const keeping = useKeeping();
  const notices = useNotices();

  /** Opens a song. Nothing that waits to be sent stands in its way. @throws ServerSaid */
  async function load(songId: string): Promise<void> {
    await sendWhatIsLeft(songId).catch(() => {});
    const opened = await ask<OpenedSong>(`/api/songs/${encodeURIComponent(songId)}`);
    const waiting = (await anyErrands(songId).catch(() => true)) ? await keeping.waiting(songId).catch(() => []) : [];
    song.show(opened);
    song.catchUp(waiting);
    layers.closed = new Map(opened.layers.flatMap(whole));
    let elsewhere = false;
    for (const layer of opened.layers) if (!layer.closing) elsewhere = !(await recover(layer)) || elsewhere;
    for (const result of passesWithoutTake(song.document!, opened.layers, song.history)) {
      song.run({ type: 'record', result, at: result.layers[0]!.header.startedAt });
    }
    if (elsewhere) setTimeout(() => void lookAgain(songId), LOOK_AGAIN);
  }

  /** What this browser still holds of an earlier visit goes ahead of the song. */
  async function sendWhatIsLeft(songId: string): Promise<void> {
    for (const id of await strandedLayers(songId)) if (!(await layers.isRecorded(id))) await keeping.rescue(id);
    // With nothing left of an earlier visit the song need not wait for the worker to start.
    if (keeping.isHanding() || (await anyErrands(songId))) await atMost(keeping.carry(), PATIENCE);
  }

  /**
   * Closes a layer whose pass was cut off, and makes the take that it would have become.
   * @returns false where somebody records it
   */
  async function recover(stored: StoredLayer): Promise<boolean> {
    if (await layers.isRecorded(stored.header.id, stored)) return false;
    const { layer, result } = closedWhereCutOff(stored);
    void layers.finish(layer);
    if (!result) return true;
    song.run({ type: 'record', result, at: layer.header.startedAt });
    const part = song.document?.parts.find((p) => p.id === layer.header.partId)?.name ?? 'a part';
    notices.say(`A pass was cut off. What had been played was kept as a take of ${part}.`, 'plain');
    return true;
  }

  /** What another browser was recording may have been left there by a crash. */
  async function lookAgain(songId: string): Promise<void> {
    if (song.id !== songId) return;
    const { layers: all } = await ask<OpenedSong>(`/api/songs/${encodeURIComponent(songId)}`);
    let elsewhere = false;
    for (const layer of all) if (!layer.closing) elsewhere = !(await recover(layer)) || elsewhere;
    if (elsewhere) setTimeout(() => void lookAgain(songId).catch(() => {}), LOOK_AGAIN);
  }

  /** Reads the open song anew: what waited here goes first. */
  async function readAnew(songId: string): Promise<void> {
    if (songId !== song.id) return;
    await keeping.carry();
    await load(songId).catch(() => {});
  }

  // Another window has changed the song, or the server would not have something of it.
  keeping.follow((songId) => void readAnew(songId));
  keeping.followFeed(({ song: id, revision }) => {
    if (id !== null && id === song.id && revision > song.revision) void readAnew(id);
  });

  return { load };
});
