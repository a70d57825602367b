import { defineStore } from 'pinia';
import { shallowRef, watch } from 'vue';
import type { LayerHeader } from '~~/core/takes/layer';
import type { Recording, Recordings } from '~~/core/takes/sound';
import { FRESH } from '~~/core/vocabulary/limits';
import { ask, type OpenRecording } from '~/api/api';
import { useSync } from '~/sync/sync';
import { thisBrowser } from './browser';
import { useSong } from './song';

/**
 * Name of the Web Lock that the recording tab holds until all sound is on its way, so that no other tab closes the
 * recording.
 */
const lockOf = (id: string): string => `tall-kettle recording ${id}`;

/** Recordings of outside instruments in the open song that are closed. */
export const useRecordings = defineStore('recordings', () => {
  const song = useSong();
  const sync = useSync();
  const all = shallowRef<Recordings>(new Map());
  const held = new Map<string, () => void>();

  const show = (list: readonly Recording[]): void => {
    all.value = new Map(list.map((r) => [r.id, r]));
  };

  /** Recordings that a line was sounded again in, and that cannot be loaded. */
  const missing = (): string[] =>
    [...new Set((song.document?.parts ?? []).flatMap((p) => p.soundedAgain.map((a) => a.recording)))].filter(
      (id) => !all.value.has(id),
    );

  /** Loads the list of recordings again. One that cannot be read now is read with the song. */
  async function read(songId: string): Promise<void> {
    const also = missing().slice(0, 100).join(',');
    const path = `/api/songs/${encodeURIComponent(songId)}/recordings${also ? `?also=${also}` : ''}`;
    const list = await ask<Recording[]>(path).catch(() => null);
    if (list && song.id === songId) show(list);
  }

  /** Test for a layer whose recorded sound has not arrived yet. */
  const isOnItsWay = (header: LayerHeader | undefined): boolean =>
    header?.sound !== undefined && held.has(header.sound.recording) && !all.value.has(header.sound.recording);

  /** Marks a recording as made by this tab. */
  function hold(id: string): void {
    const over = new Promise<void>((done) => held.set(id, done));
    void navigator.locks.request(lockOf(id), () => over);
  }
  function letGo(id: string): void {
    held.get(id)?.();
    held.delete(id);
  }

  /**
   * Closes recordings that a closed page left open; what was kept of their sound stays. The closing is queued behind
   * their waiting pieces, and recordings that somebody still makes are left alone.
   */
  async function settle(songId: string, open: readonly OpenRecording[]): Promise<void> {
    const locks = (await navigator.locks.query()).held ?? [];
    for (const { id, by, fedAgo } of open) {
      if (locks.some((lock) => lock.name === lockOf(id)) || (by !== thisBrowser() && fedAgo < FRESH)) continue;
      const body = { songId, by: thisBrowser() };
      void sync.enqueue({ songId, method: 'POST', path: `/api/recordings/${id}/close`, body });
    }
  }

  sync.followFeed((changed) => {
    if (song.id !== null && (changed === null || (changed.recording && changed.song === song.id))) void read(song.id);
  });

  // Undo can bring back a recording that was not in the song when it was opened.
  watch(
    () => missing().join(','),
    (now) => {
      if (now && song.id !== null) void read(song.id);
    },
  );

  return { all, show, isOnItsWay, hold, letGo, settle };
});
