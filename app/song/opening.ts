import { defineStore } from 'pinia';
import { closedWhereCutOff, passesWithoutTake } from '~~/core/song/recovery';
import type { Layer } from '~~/core/takes/layer';
import { ask, type OpenedSong, type StoredLayer } from '~/api/api';
import { strandedLayers } from '~/keeping/arrivals';
import { useKeeping } from '~/keeping/keeping';
import { anyErrands } from '~/keeping/store';
import { useNotices } from '~/notices/notices';
import { useLayers } from './layers';
import { useSong } from './song';

const whole = ({ header, closing, events }: StoredLayer): [string, Layer][] =>
  closing ? [[header.id, { header, closing, events }]] : [];

/** Opens songs, and brings back what an earlier visit left undone. */
export const useOpening = defineStore('opening', () => {
  const song = useSong();
  const layers = useLayers();
  const keeping = useKeeping();
  const notices = useNotices();

  /** Opens a song. @throws ServerSaid */
  async function load(songId: string): Promise<void> {
    await sendWhatIsLeft(songId);
    const opened = await ask<OpenedSong>(`/api/songs/${encodeURIComponent(songId)}`);
    song.show(opened);
    layers.closed = new Map(opened.layers.flatMap(whole));
    for (const layer of opened.layers) if (!layer.closing) await recover(layer);
    for (const result of passesWithoutTake(opened.document, opened.layers, opened.history)) {
      song.run({ type: 'record', result, at: result.layers[0]!.header.startedAt });
    }
  }

  /** What this browser still holds of an earlier visit goes ahead of the song. */
  async function sendWhatIsLeft(songId: string): Promise<void> {
    for (const id of await strandedLayers(songId)) if (!(await layers.isRecorded(id))) await keeping.rescue(id);
    // With nothing left of an earlier visit the song need not wait for the worker to start.
    if (keeping.isHanding() || (await anyErrands())) await keeping.carry();
  }

  /** Closes a layer whose pass was cut off, and makes the take that it would have become. */
  async function recover(stored: StoredLayer): Promise<void> {
    if (await layers.isRecorded(stored.header.id)) return;
    const { layer, result } = closedWhereCutOff(stored);
    void layers.finish(layer);
    if (!result) return;
    song.run({ type: 'record', result, at: layer.header.startedAt });
    const part = song.document?.parts.find((p) => p.id === layer.header.partId)?.name ?? 'a part';
    notices.say(`A pass was cut off. What had been played was kept as a take of ${part}.`, 'plain');
  }

  // Another window has changed the song: what waited here goes first, then it is read anew.
  keeping.follow((songId) => {
    if (songId === song.id) void keeping.carry().then(() => load(songId));
  });

  return { load };
});
