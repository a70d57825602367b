import { defineStore } from 'pinia';
import { computed } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import type { SongMaps } from '~~/core/document/maps';
import type { Command } from '~~/core/song/changes';
import { useReading } from './reading';
import { useSong } from './song';

/** Settings of a command. */
type To<T extends Command['type'], K extends string> =
  Extract<Command, { type: T }> extends Record<K, infer V> ? V : never;

/**
 * The song for all that is shown only while one is open: its document and maps are there, and its settings have
 * setters. Reading either without a song throws, as it is a fault of the program.
 */
export const useOpenSong = defineStore('openSong', () => {
  const song = useSong();
  const reading = useReading();

  const document = computed((): SongDocument => {
    if (!song.document) throw new Error('No song is open.');
    return song.document;
  });
  const maps = computed((): SongMaps => {
    if (!reading.maps) throw new Error('No song is open.');
    return reading.maps;
  });

  const setSong = (to: To<'set song', 'to'>): void => song.run({ type: 'set song', to });
  const setBrief = (brief: To<'set brief', 'brief'>): void => song.run({ type: 'set brief', brief });
  const setClick = (click: To<'set click', 'click'>): void => song.run({ type: 'set click', click });
  const setPart = (part: string, to: To<'set part', 'to'>): void => song.run({ type: 'set part', part, to });
  const setBacking = (backing: string, to: To<'set backing', 'to'>): void =>
    song.run({ type: 'set backing', backing, to });

  return { document, maps, setSong, setBrief, setClick, setPart, setBacking };
});
