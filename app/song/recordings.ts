import { defineStore } from 'pinia';
import { shallowRef, watch } from 'vue';
import type { LayerHeader } from '~~/core/takes/layer';
import type { Recording, Recordings } from '~~/core/takes/sound';
import { FRESH } from '~~/core/vocabulary/limits';
import { ask, type OpenRecording } from '~/api/api';
import { useSync } from '~/sync/sync';
import { thisBrowser } from './browser';
import { useSong } from './song';

/** Held by the tab that makes a recording, until all of it is on its way: nobody else closes it meanwhile. */
const lockOf = (id: string): string => `tall-kettle recording ${id}`;

/** The recordings of outside instruments that the open song has, as far as they are closed. */
export const useRecordings = defineStore('recordings', () => {
  const song = useSong();
  const sync = useSync();
  const all = shallowRef<Recordings>(new Map());
  const held = new Map<string, () => void>();

  const show = (list: readonly Recording[]): void => {
    all.value = new Map(list.map((r) => [r.id, r]));
  };

  /** Those that the parts' lines were sounded again in, and that cannot be had. */
  const missing = (): string[] =>
    [...new Set((song.document?.parts ?? []).flatMap((p) => p.soundedAgain.map((a) => a.recording)))].filter(
      (id) => !all.value.has(id),
    );

  /** Reads anew which there are. What cannot be read now is read with the song. */
  async function read(songId: string): Promise<void> {
    const also = missing().slice(0, 100).join(',');
    const path = `/api/songs/${encodeURIComponent(songId)}/recordings${also ? `?also=${also}` : ''}`;
    const list = await ask<Recording[]>(path).catch(() => null);
    if (list && song.id === songId) show(list);
  }

  /** Its sound was recorded, and cannot be had yet. */
  const isOnItsWay = (header: LayerHeader | undefined): boolean =>
    header?.sound !== undefined && held.has(header.sound.recording) && !all.value.has(header.sound.recording);

  /** This tab makes it. */
  function hold(id: string): void {
    const over = new Promise<void>((done) => held.set(id, done));
    void navigator.locks.request(lockOf(id), () => over);
  }
  function letGo(id: string): void {
    held.get(id)?.();
    held.delete(id);
  }

  /**
   * Closes what was left open by a page that went: what was kept of it is its sound. It goes behind what waits of it
   * in this browser; one that somebody makes is left alone.
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

  // Undo can bring back what was not the song's when it was opened.
  watch(
    () => missing().join(','),
    (now) => {
      if (now && song.id !== null) void read(song.id);
    },
  );

  return { all, show, isOnItsWay, hold, letGo, settle };
});
