/** Songs for tests of stores: shown as if the server had sent them, with takes over closed layers. */
import { newSong, type SongDocument } from '~~/core/document/document';
import { newTake } from '~~/core/document/take';
import type { Layer, LayerEvent } from '~~/core/takes/layer';
import { header } from '~~/core/testing/arbitraries';
import type { TickRange } from '~~/core/time/units';
import type { OpenedSong } from '~/api/api';
import { useSong } from '~/song/song';

/** The server's answer with a song, as the song's store takes it. */
export const sentSong = (document: SongDocument, over: object = {}): OpenedSong =>
  ({
    ...{ id: 'song', title: document.title, job: 'Marsh Light', jobId: 'job', revision: 1, lastChange: null },
    ...{ document, older: 0, stacks: { done: [], undone: [] } },
    ...over,
  }) as unknown as OpenedSong;

/** Shows a song, and gives its store. */
export function showSong(document: SongDocument, over: object = {}): ReturnType<typeof useSong> {
  const song = useSong();
  song.show(sentSong(document, over));
  return song;
}

/** A song of 120 bpm and as many bars, whose piano has a take of each name over the layer of that name. */
export function withTakes(names: readonly string[], range: TickRange, bars: number): SongDocument {
  const song = newSong('Causeway', 'piano');
  const placement = { policy: 'heard', nudge: 0 } as const;
  const takes = names.map((id, i) =>
    newTake({ id, number: i + 1, layers: [`layer ${id}`], ...range, placement, at: '' }),
  );
  const comp = names.slice(0, 1).map((takeId) => ({ ...range, takeId }));
  return { ...song, bars, tempo: [{ tick: 0, bpm: 120 }], parts: [{ ...song.parts[0]!, takes, comp }] };
}

/** The layer of a take of that name. */
export const layerOf = (name: string, range: TickRange, events: readonly LayerEvent[]): Layer => ({
  header: header({ id: `layer ${name}`, planned: range }),
  closing: { range, clears: [] },
  events,
});

/** A note of the rolling clock, in seconds. */
export const noteAt = (at: number, until: number, key = 60): LayerEvent[] => [
  { at, message: { type: 'noteOn', key, velocity: 80 } },
  { at: until, message: { type: 'noteOff', key, velocity: 64 } },
];
