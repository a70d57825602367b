import { defineStore } from 'pinia';
import { ref } from 'vue';
import { closedWhereCutOff, passesWithoutTake } from '~~/core/song/recovery';
import type { Layer } from '~~/core/takes/layer';
import { unpacked } from '~~/core/takes/packed';
import type { SoundSoFar } from '~~/core/takes/sound';
import type { Milliseconds } from '~~/core/time/units';
import { askRevision, askSong, isPassing, ServerSaid, type OpenedSong, type StoredLayer } from '~/api/api';
import { strandedLayers } from '~/sync/arrivals';
import { useSync } from '~/sync/sync';
import { layerOf, recordingOf } from '~/sync/refusedRequests';
import { anyQueued, type QueuedRequest } from '~/sync/store';
import { useNotices } from '~/notices/notices';
import { FRESH } from '~~/core/vocabulary/limits';
import { thisBrowser } from './browser';
import { useLayers } from './layers';
import { useRecordings } from './recordings';
import { useOpenSong } from './openSong';
import { useSong } from './song';

/** Longest wait for queued requests before a song is read; they are sent on meanwhile. */
const PATIENCE: Milliseconds = 4000;
/** Delay before a layer that somebody records is looked at again: a crash may have left it open. */
const LOOK_AGAIN: Milliseconds = 12_000;

/** Delay before a server that is away is asked again. */
const TRY_AGAIN: Milliseconds = 2000;

const whole = (layer: StoredLayer): [string, Layer][] =>
  layer.closing ? [[layer.header.id, layer as StoredLayer & Layer]] : [];
const atMost = (work: Promise<unknown>, patience: Milliseconds): Promise<unknown> =>
  // Errors of the work are reported by the work itself.
  Promise.race([work.catch(() => {}), new Promise((done) => setTimeout(done, patience))]);

/** Opens songs, and restores what an earlier visit left unfinished. */
export const useOpening = defineStore('opening', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const layers = useLayers();
  const recordings = useRecordings();
  const sync = useSync();
  const notices = useNotices();

  /** Share of the song that has been loaded, 0 to 1. */
  const share = ref(0);

  /** Opens a song without waiting for queued requests. @throws ServerSaid */
  async function load(songId: string): Promise<void> {
    share.value = 0;
    // Usually nothing is queued: the song is requested at once, and again only where something was sent.
    const sending = sync.isHanding();
    const asked = askFor(songId);
    asked.catch(() => {});
    const sent = await sendWhatIsLeft(songId).catch(() => true);
    await read(songId, false, sending || sent ? undefined : asked);
  }

  /** Queued requests of a song; empty where the browser's storage cannot be read, which the keeper reports. */
  const waitingOf = async (songId: string): Promise<QueuedRequest[]> =>
    // The keeper reports what it cannot read.
    (await anyQueued(songId).catch(() => true)) ? sync.waiting(songId).catch(() => []) : [];

  /**
   * @param anew the song is open here: layers that this window has closed and the server has not are kept as they are
   */
  async function read(songId: string, anew: boolean, asked?: Promise<OpenedSong>): Promise<void> {
    // Requests that are sent while the song is loading are in neither list: a layer that one of them belongs to is not
    // complete here.
    const before = asked ? [] : await waitingOf(songId);
    const there = await (asked ?? askFor(songId));
    const waiting = await waitingOf(songId);
    const unsent = new Set([...before, ...waiting].flatMap((e) => layerOf(e) ?? recordingOf(e) ?? []));
    if (anew && song.id !== songId) return;
    song.show(there);
    recordings.show(there.recordings);
    song.catchUp(waiting);
    const here = anew ? layers.closed : [];
    const stored = there.layers.map(unpacked);
    for (const { header, mode } of stored) layers.modes.set(header.id, mode);
    layers.closed = new Map([...stored.flatMap(whole), ...here]);
    const sent = JSON.stringify(waiting);
    const inTakes = new Set(openSong.document.parts.flatMap((p) => p.takes.flatMap((t) => t.layers)));
    const isComing = (l: StoredLayer) => l.closing !== null && !l.taken && isUnderWay(l, anew);
    const coming = new Set(stored.filter(isComing).map((l) => l.header.id));
    layers.onTheirWay = new Set(
      [...layers.closed.keys()].filter((id) => !inTakes.has(id) && (coming.has(id) || sent.includes(id))),
    );
    // A window that records a layer closes it and makes its take in one step, so nothing can come between.
    const left: StoredLayer[] = [];
    const settled = stored.filter((layer) => !isUnderWay(layer, anew) && !isUnsent(layer, unsent));
    const sounds = soundsOf(there);
    for (const layer of settled) if (!(await recover(layer, sounds))) left.push(layer);
    void recordings.settle(
      songId,
      there.openRecordings.filter((r) => !unsent.has(r.id)),
    );
    const taken = ({ header, taken }: StoredLayer) => taken || sent.includes(header.id);
    for (const result of passesWithoutTake(
      openSong.document,
      settled.filter((layer) => !taken(layer)),
    )) {
      song.run({ type: 'record', result, at: result.layers[0]!.header.startedAt });
    }
    const underWay = stored.some((l) => !l.closing && isUnderWay(l, anew)) || left.length + coming.size > 0;
    clearTimeout(looking);
    if (underWay) looking = setTimeout(() => void readAnew(), LOOK_AGAIN);
    // A layer that was cut off with unsent events is complete once they are sent.
    if (stored.some((l) => !l.closing && isUnsent(l, unsent))) looking = setTimeout(() => void readAnew(), TRY_AGAIN);
    if (anew) return;
    if (isBehind(songId)) void readAnew();
    else if (missed) void compare(songId);
  }

  /**
   * Test for a layer that may still be recorded: another browser fed it a moment ago or, while the song is open here,
   * anybody did.
   */
  const isUnderWay = ({ by, fedAgo }: StoredLayer, anew: boolean): boolean =>
    (anew || (by !== null && by !== thisBrowser())) && fedAgo !== null && fedAgo < FRESH;

  /** Test for a layer with events or sound that have not reached the server. */
  const isUnsent = ({ header: { id, sound } }: StoredLayer, unsent: ReadonlySet<string>): boolean =>
    unsent.has(id) || (sound !== undefined && unsent.has(sound.recording));

  /** End of each recording so far, by recording id. */
  const soundsOf = ({ recordings: closed, openRecordings }: OpenedSong): Map<string, SoundSoFar> =>
    new Map<string, SoundSoFar>([
      ...closed.map((r) => [r.id, { ...r, end: r.first + r.frames }] as const),
      ...openRecordings.flatMap(({ end, ...r }) => (end === null ? [] : [[r.id, { ...r, end }] as const])),
    ]);

  /**
   * Sends what this browser still holds of an earlier visit, before the song is read.
   * @returns true where there was something
   */
  async function sendWhatIsLeft(songId: string): Promise<boolean> {
    const stranded = await strandedLayers(songId);
    for (const id of stranded) if (!(await layers.isRecorded(id))) await sync.rescue(id);
    // Without leftovers of an earlier visit the song need not wait for the worker to start.
    const requests = sync.isHanding() || (await anyQueued(songId));
    if (requests) await atMost(sync.carry(), PATIENCE);
    return requests || stranded.length > 0;
  }

  /**
   * Closes a layer whose pass was cut off, and makes the take that it would have become.
   * @returns false where somebody still records it
   */
  async function recover(stored: StoredLayer, sounds: ReadonlyMap<string, SoundSoFar>): Promise<boolean> {
    if (stored.closing || layers.closed.has(stored.header.id)) return true;
    if (await layers.isRecorded(stored.header.id)) return false;
    const { sound } = stored.header;
    const { layer, result } = closedWhereCutOff(stored, sound && sounds.get(sound.recording));
    void layers.finish(layer);
    if (!result) return true;
    song.run({ type: 'record', result, at: layer.header.startedAt });
    const part = song.document?.parts.find((p) => p.takes.some((t) => t.layers.includes(layer.header.id)));
    // Pedal movements alone make no take.
    if (part) notices.say(`A pass was cut off. What had been played was kept as a take of ${part.name}.`, 'plain');
    return true;
  }

  let looking: ReturnType<typeof setTimeout> | undefined;
  /** Latest revision that the server has announced, by song. */
  const announced = new Map<string, number>();
  /** True if changes may have been missed since the song was requested. */
  let missed = false;
  /** Requests a song. Changes announced from now on may be missing in the answer. */
  function askFor(songId: string): Promise<OpenedSong> {
    announced.delete(songId);
    missed = false;
    return askSong(songId, (done) => (share.value = done));
  }
  const isBehind = (songId: string): boolean => (announced.get(songId) ?? 0) > song.revision;

  let reading: Promise<void> | undefined;
  let again = false;
  /** Reads the open song again, one request at a time, until it equals the server's. Queued requests are sent first. */
  function readAnew(): Promise<void> {
    again = reading !== undefined;
    reading ??= readUntilFresh().finally(() => {
      reading = undefined;
    });
    return reading;
  }
  async function readUntilFresh(): Promise<void> {
    do {
      const songId = song.id;
      if (songId === null) return;
      again = false;
      // Changes that cannot be sent now are made again on the song that arrives.
      await atMost(sync.carry(), PATIENCE);
      await read(songId, true).catch(async (error: unknown) => {
        if (!(error instanceof ServerSaid)) throw error;
        if (!isPassing(error)) return;
        again = true;
        await new Promise((done) => setTimeout(done, TRY_AGAIN));
      });
    } while (again || (song.id !== null && isBehind(song.id)));
  }

  const hear = (songId: string, revision: number): void =>
    void announced.set(songId, Math.max(revision, announced.get(songId) ?? 0));

  /**
   * Compares revisions, in case changes were missed. The server's revision counts as announced: a song that is still
   * loading may be older, and this window's own changes are counted before they are in it.
   */
  async function compare(songId: string): Promise<void> {
    const there = await askRevision(songId).catch(() => null);
    if (there) hear(songId, there.revision);
    if (song.id === songId && (!there || isBehind(songId))) await readAnew();
  }

  // Another window has changed the song, or the server refused a change.
  sync.follow((songId) => {
    if (songId === song.id) void readAnew();
  });
  sync.followFeed((changed) => {
    if (changed === null) missed = true;
    else if (changed.song) hear(changed.song, changed.revision);
    if (song.id === null) return;
    if (changed === null) void compare(song.id);
    else if (isBehind(song.id)) void readAnew();
  });

  return { load, share };
});
