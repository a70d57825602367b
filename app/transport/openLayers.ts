import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import type { Note } from '~~/core/performance/notes';
import type { PassEffect, PassResult } from '~~/core/recording/state';
import { NotesSoFar } from '~~/core/recording/soFar';
import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import type { Seconds } from '~~/core/time/units';
import { useLookBack } from '~/look-back/lookback';
import { useLayers } from '~/song/layers';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from './pass';

type Opening = Extract<PassEffect, { type: 'openLayer' }>;
type Event = Extract<PassEffect, { type: 'keep' }>;
type Closing = Extract<PassEffect, { type: 'closeLayer' }>;

/** The layers that a pass has open: each event goes into the song's keeping as it comes, and onto the chart. */
export const useOpenLayers = defineStore('openLayers', () => {
  const song = useSong();
  const reading = useReading();
  const layers = useLayers();
  const lookBack = useLookBack();
  const pass = usePass();

  /** What the pass under way has recorded so far, for the chart. */
  const live = shallowRef<{ readonly part: string; readonly notes: readonly Note[] } | null>(null);
  const written = new Map<string, { readonly header: LayerHeader; readonly events: LayerEvent[] }>();
  const soFar = new NotesSoFar();
  let anyPlayed = false;

  function open({ header, mode }: Opening): void {
    written.set(header.id, { header, events: [] });
    if (!live.value || header.lap) live.value = { part: header.partId, notes: [] };
    layers.begin(header, mode);
  }

  function keep({ layerId, event }: Event): void {
    layers.keep(layerId, event);
    written.get(layerId)?.events.push(event);
  }

  function close({ layerId, closing }: Closing): void {
    const layer = written.get(layerId);
    written.delete(layerId);
    if (layer) void layers.finish({ header: layer.header, closing, events: layer.events });
  }

  /** A pass or a lap has come to its end, and becomes part of the song. */
  function recorded(result: PassResult): void {
    anyPlayed ||= result.layers.some((l) => l.notes > 0 || l.touched);
    song.run({ type: 'record', result, at: new Date().toISOString() });
    lookBack.recorded(result);
  }

  /** All of a pass is in the song. @returns whether anything was played in it */
  function finish(): boolean {
    const any = anyPlayed;
    anyPlayed = false;
    return any;
  }

  /** The chart shows one part: the notes of that one are drawn as they come. */
  function draw(at: Seconds): void {
    const current = pass.state.laps.findLast((w) => !w.ended);
    const part = current?.listening.find((v) => v.header.partId === reading.shown?.id) ?? current?.listening[0];
    if (!current || !part) return;
    live.value = { part: part.header.partId, notes: current.opened ? soFar.of(current, part, at) : [] };
  }

  return { live, open, keep, close, recorded, finish, draw };
});
