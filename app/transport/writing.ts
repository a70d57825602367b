import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import { readingSoFar } from '~~/engine/transport/rolling';
import type { Note } from '~~/core/performance/notes';
import type { PassEffect, PassResult, PassState } from '~~/core/recording/state';
import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import type { Seconds } from '~~/core/time/units';
import { useLookBack } from '~/look-back/lookback';
import { useSong } from '~/song/song';

type Opening = Extract<PassEffect, { type: 'openLayer' }>;
type Keeping = Extract<PassEffect, { type: 'keep' }>;
type Closing = Extract<PassEffect, { type: 'closeLayer' }>;

/** The layers that a pass has open: each event goes into the song's keeping as it comes, and onto the chart. */
export const useWriting = defineStore('writing', () => {
  const song = useSong();
  const lookBack = useLookBack();

  /** What the pass under way has recorded so far, for the chart. */
  const live = shallowRef<{ readonly part: string; readonly notes: readonly Note[] } | null>(null);
  const layers = new Map<string, { readonly header: LayerHeader; readonly events: LayerEvent[] }>();
  let anyPlayed = false;

  function open({ header, mode }: Opening): void {
    layers.set(header.id, { header, events: [] });
    if (!live.value || header.lap) live.value = { part: header.partId, notes: [] };
    song.openLayer(header, mode);
  }

  function keep({ layerId, event }: Keeping): void {
    song.keepEvent(layerId, event);
    layers.get(layerId)?.events.push(event);
  }

  function close({ layerId, closing }: Closing): void {
    const layer = layers.get(layerId);
    layers.delete(layerId);
    if (layer) song.finishLayer({ header: layer.header, closing, events: layer.events });
  }

  /** A pass or a lap has come to its end, and becomes part of the song. */
  function recorded(result: PassResult): void {
    anyPlayed ||= result.layers.some((l) => l.notes > 0 || l.touched);
    song.finishPass(result, new Date().toISOString());
    lookBack.recorded(result);
  }

  /** All of a pass is in the song. Returns whether anything was played in it. */
  function finish(): boolean {
    const any = anyPlayed;
    anyPlayed = false;
    return any;
  }

  /** The chart shows one part: the notes of that one are drawn as they come. */
  function draw(state: PassState, shown: string | undefined, at: Seconds): void {
    const current = state.writing.findLast((w) => !w.ended);
    const voice = current?.voices.find((v) => v.header.partId === shown) ?? current?.voices[0];
    if (current && voice)
      live.value = { part: voice.header.partId, notes: current.opened ? readingSoFar(current, voice, at).notes : [] };
  }

  return { live, open, keep, close, recorded, finish, draw };
});
