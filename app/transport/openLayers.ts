import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import type { Note } from '~~/core/performance/notes';
import type { PassEffect, PassResult } from '~~/core/recording/state';
import { NotesSoFar } from '~~/core/recording/partialReading';
import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import type { Seconds } from '~~/core/time/units';
import type { Mode } from '~~/core/vocabulary/modes';
import { useSync } from '~/sync/sync';
import { useLookBack } from '~/look-back/lookBack';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from './pass';

type Opening = Extract<PassEffect, { type: 'openLayer' }>;
type Event = Extract<PassEffect, { type: 'keep' }>;
type Closing = Extract<PassEffect, { type: 'closeLayer' }>;

/** Layers that a pass has open. Each event is stored as it comes, and drawn on the chart. */
export const useOpenLayers = defineStore('openLayers', () => {
  const song = useSong();
  const sync = useSync();
  const notices = useNotices();
  const reading = useReading();
  const layers = useLayers();
  const lookBack = useLookBack();
  const pass = usePass();

  /** Notes that the running pass has recorded so far, for the chart. */
  const live = shallowRef<{ readonly part: string; readonly notes: readonly Note[] } | null>(null);
  /** Open layers, by the names that the pass gives them. */
  const written = new Map<string, { header: LayerHeader; readonly mode: Mode; readonly events: LayerEvent[] }>();
  /** Layers that were closed by another browser and continued in new ones, by the names that the pass gives them. */
  const renamed = new Map<string, LayerHeader>();
  const soFar = new NotesSoFar();
  let anyPlayed = false;

  function open({ header, mode }: Opening): void {
    written.set(header.id, { header, mode, events: [] });
    if (!live.value || header.lap) live.value = { part: header.partId, notes: [] };
    layers.begin(header, mode);
  }

  function keep({ layerId, event }: Event): void {
    const layer = written.get(layerId);
    if (!layer) return;
    layers.keep(layer.header.id, event);
    layer.events.push(event);
  }

  sync.followClosed((layerId) => {
    const own = [...written].find(([, layer]) => layer.header.id === layerId);
    if (!own) return;
    const [name, layer] = own;
    const from = layer.header;
    const to = { ...from, id: crypto.randomUUID(), takeId: crypto.randomUUID() };
    layer.header = to;
    renamed.set(name, to);
    layers.goOn(from, to, layer.mode, layer.events);
    notices.say(
      'While this browser slept, another one ended the take. What had been kept until then is a take there. All of ' +
        'it, and what you play now, goes into a new one.',
      'attention',
      { about: 'ended elsewhere' },
    );
  });

  function close({ layerId, closing }: Closing): void {
    const layer = written.get(layerId);
    written.delete(layerId);
    if (layer) void layers.finish({ header: layer.header, closing, events: layer.events });
  }

  /** Enters the result of a pass or lap into the song. */
  function recorded(result: PassResult): void {
    anyPlayed ||= result.layers.some((l) => l.notes > 0 || l.touched);
    const all = result.layers.map((l) => ({ ...l, header: renamed.get(l.header.id) ?? l.header }));
    song.run({ type: 'record', result: { ...result, layers: all }, at: new Date().toISOString() });
    lookBack.recorded(result);
  }

  /** Ends the pass. @returns true if something was played in it */
  function finish(): boolean {
    const any = anyPlayed;
    anyPlayed = false;
    renamed.clear();
    return any;
  }

  /** Draws new notes of the part that is shown on the chart. */
  function draw(at: Seconds): void {
    const current = pass.state.laps.findLast((w) => !w.ended);
    const part = current?.listening.find((v) => v.header.partId === reading.shown?.id) ?? current?.listening[0];
    if (!current || !part) return;
    live.value = { part: part.header.partId, notes: current.opened ? soFar.of(current, part, at) : [] };
  }

  return { live, open, keep, close, recorded, finish, draw };
});
