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
import { useSong } from './song';

/** Longest wait for what has to be sent; then the song is read, and it is sent meanwhile. */
const PATIENCE: Milliseconds = 4000;
/** A layer that somebody is recording is looked at again after this: it may have been left there by a crash. */
const LOOK_AGAIN: Milliseconds = 12_000;

/** A server that is away is asked again after this. */
const TRY_AGAIN: Milliseconds = 2000;

const whole = (layer: StoredLayer): [string, Layer][] =>
  layer.closing ? [[layer.header.id, layer as StoredLayer & Layer]] : [];
const atMost = (work: Promise<unknown>, patience: Milliseconds): Promise<unknown> =>
  // What becomes of the work is told by those who do it.
  Promise.race([work.catch(() => {}), new Promise((done) => setTimeout(done, patience))]);

/** Opens songs, and brings back what an earlier visit left undone. */
export const useOpening = defineStore('opening', () => {
  const song = useSong();
  const layers = useLayers();
  const recordings = useRecordings();
  const sync = useSync();
  const notices = useNotices();

  /** Share of a song that is here while it opens, 0 to 1. */
  const share = ref(0);

  /** Opens a song. Nothing that waits to be sent stands in its way. @throws ServerSaid */
  async function load(songId: string): Promise<void> {
    share.value = 0;
    // Mostly nothing is left: the song is asked for meanwhile, and once more only where something was sent.
    const sending = sync.isHanding();
    const asked = askFor(songId);
    asked.catch(() => {});
    const sent = await sendWhatIsLeft(songId).catch(() => true);
    await read(songId, false, sending || sent ? undefined : asked);
  }

  /** Requests of a song that wait in this browser; none where they cannot be read now, which the keeper says. */
  const waitingOf = async (songId: string): Promise<QueuedRequest[]> =>
    // The keeper says what it cannot read.
    (await anyQueued(songId).catch(() => true)) ? sync.waiting(songId).catch(() => []) : [];

  /** @param anew the song is open here: what this window has closed and the server has not stays as it is */
  async function read(songId: string, anew: boolean, asked?: Promise<OpenedSong>): Promise<void> {
    // What is sent while the song is on its way is in neither: a layer that something waits for is not whole here.
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
    const inTakes = new Set(song.document!.parts.flatMap((p) => p.takes.flatMap((t) => t.layers)));
    const isComing = (l: StoredLayer) => l.closing !== null && !l.taken && isUnderWay(l, anew);
    const coming = new Set(stored.filter(isComing).map((l) => l.header.id));
    layers.onTheirWay = new Set(
      [...layers.closed.keys()].filter((id) => !inTakes.has(id) && (coming.has(id) || sent.includes(id))),
    );
    // Who records a layer closes it and makes a take of it in one go; nobody else comes between.
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
      song.document!,
      settled.filter((layer) => !taken(layer)),
    )) {
      song.run({ type: 'record', result, at: result.layers[0]!.header.startedAt });
    }
    const underWay = stored.some((l) => !l.closing && isUnderWay(l, anew)) || left.length + coming.size > 0;
    clearTimeout(looking);
    if (underWay) looking = setTimeout(() => void readAnew(), LOOK_AGAIN);
    // What was cut off with something unsent is whole when that is sent.
    if (stored.some((l) => !l.closing && isUnsent(l, unsent))) looking = setTimeout(() => void readAnew(), TRY_AGAIN);
    if (anew) return;
    if (isBehind(songId)) void readAnew();
    else if (missed) void compare(songId);
  }

  /**
   * Test for a layer that somebody may be in the middle of: it was fed a moment ago by another browser, or, while the
   * song is open here, by anybody.
   */
  const isUnderWay = ({ by, fedAgo }: StoredLayer, anew: boolean): boolean =>
    (anew || (by !== null && by !== thisBrowser())) && fedAgo !== null && fedAgo < FRESH;

  /** Tells whether something of a layer, or of its sound, still has to reach the server. */
  const isUnsent = ({ header: { id, sound } }: StoredLayer, unsent: ReadonlySet<string>): boolean =>
    unsent.has(id) || (sound !== undefined && unsent.has(sound.recording));

  /** The end of each recording so far, by its name. */
  const soundsOf = ({ recordings: closed, openRecordings }: OpenedSong): Map<string, SoundSoFar> =>
    new Map<string, SoundSoFar>([
      ...closed.map((r) => [r.id, { ...r, end: r.first + r.frames }] as const),
      ...openRecordings.flatMap(({ end, ...r }) => (end === null ? [] : [[r.id, { ...r, end }] as const])),
    ]);

  /** Sends what this browser still holds of an earlier visit, ahead of the song. @returns whether there was anything */
  async function sendWhatIsLeft(songId: string): Promise<boolean> {
    const stranded = await strandedLayers(songId);
    for (const id of stranded) if (!(await layers.isRecorded(id))) await sync.rescue(id);
    // With nothing left of an earlier visit the song need not wait for the worker to start.
    const requests = sync.isHanding() || (await anyQueued(songId));
    if (requests) await atMost(sync.carry(), PATIENCE);
    return requests || stranded.length > 0;
  }

  /**
   * Closes a layer whose pass was cut off, and makes the take that it would have become.
   * @returns false where somebody records it
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
    // A pedal that was moved makes no take by itself.
    if (part) notices.say(`A pass was cut off. What had been played was kept as a take of ${part.name}.`, 'plain');
    return true;
  }

  let looking: ReturnType<typeof setTimeout> | undefined;
  /** The revisions of songs that the server has told of since they were asked for last. */
  const announced = new Map<string, number>();
  /** Since a song was asked for last, changes may have been missed. */
  let missed = false;
  /** Asks for a song; what is told from here on may be missing in the answer. */
  function askFor(songId: string): Promise<OpenedSong> {
    announced.delete(songId);
    missed = false;
    return askSong(songId, (done) => (share.value = done));
  }
  const isBehind = (songId: string): boolean => (announced.get(songId) ?? 0) > song.revision;

  let reading: Promise<void> | undefined;
  let again = false;
  /** Reads the open song anew, once at a time, until it is as it is at the server: what waited here goes first. */
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
      // What cannot be sent now is made on what comes.
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
   * Changes may have been missed: whether any was, the revision says. It counts as told from here on: a song that is on
   * its way may be an older one, and this window's own changes count in its revision before they are in that.
   */
  async function compare(songId: string): Promise<void> {
    const there = await askRevision(songId).catch(() => null);
    if (there) hear(songId, there.revision);
    if (song.id === songId && (!there || isBehind(songId))) await readAnew();
  }

  // Another window has changed the song, or the server would not have something of it.
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
