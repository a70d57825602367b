import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import type { Layers } from '~~/core/reading/reading';
import type { Layer, LayerEvent, LayerHeader } from '~~/core/takes/layer';
import type { Mode } from '~~/core/vocabulary/modes';
import { useSync } from '~/sync/sync';
import type { QueuedRequest } from '~/sync/store';
import { useSong } from './song';
import { thisBrowser } from './browser';

/** Name of the Web Lock that the recording tab holds, so that no other tab takes its layer for one that was cut off. */
const lockOf = (layerId: string): string => `tall-kettle layer ${layerId}`;

/** The layers of the open song: those that are closed, and those that this tab records. */
export const useLayers = defineStore('layers', () => {
  const song = useSong();
  const sync = useSync();
  /** Closed layers, by id. */
  const closed = shallowRef<Layers>(new Map());
  /** Closed layers whose take has not been confirmed by the server yet. */
  const onTheirWay = shallowRef<ReadonlySet<string>>(new Set());
  /** Recording mode of each layer. */
  const modes = new Map<string, Mode>();
  /** Layers that this tab records, each with the function that releases its lock. */
  const open = new Map<string, () => void>();

  const openingOf = (header: LayerHeader, mode: Mode): QueuedRequest => ({
    songId: song.id!,
    pass: header.passId,
    method: 'POST',
    path: '/api/layers',
    body: { songId: song.id, header, mode, by: thisBrowser() },
  });
  const closingOf = ({ header: { id, passId }, closing }: Layer): QueuedRequest => ({
    songId: song.id!,
    pass: passId,
    method: 'POST',
    path: `/api/layers/${encodeURIComponent(id)}/close`,
    body: { songId: song.id, by: thisBrowser(), ...closing },
  });

  /** Opens a layer for recording. */
  function begin(header: LayerHeader, mode: Mode): void {
    modes.set(header.id, mode);
    let release = () => {};
    const over = new Promise<void>((done) => {
      release = done;
    });
    open.set(header.id, release);
    void navigator.locks.request(lockOf(header.id), () => over);
    void sync.begin(header.id, openingOf(header, mode));
  }

  /** Keeps an event of a layer that is being recorded. */
  function keep(layerId: string, event: LayerEvent): void {
    if (open.has(layerId)) sync.event(song.id!, layerId, event);
  }

  /** Closes a layer for good, here and at the server. */
  async function finish(layer: Layer): Promise<void> {
    const { id } = layer.header;
    closed.value = new Map(closed.value).set(id, layer);
    await sync.finish(id, closingOf(layer));
    letGo(id);
  }

  function letGo(id: string): void {
    open.get(id)?.();
    open.delete(id);
  }

  /**
   * Moves recording to another layer, after another browser has closed the one that is recorded.
   * @param events everything recorded so far, which the new layer gets as well
   */
  function goOn(from: LayerHeader, to: LayerHeader, mode: Mode, events: readonly LayerEvent[]): void {
    begin(to, mode);
    for (const event of events) keep(to.id, event);
    letGo(from.id);
    void sync.forget(song.id!, from.id);
  }

  /** Stores layers that are complete already. */
  function store(whole: readonly { readonly layer: Layer; readonly mode: Mode }[]): void {
    closed.value = new Map([...closed.value, ...whole.map(({ layer }) => [layer.header.id, layer] as const)]);
    for (const { layer, mode } of whole) {
      const { header, events } = layer;
      modes.set(header.id, mode);
      void sync.enqueue(openingOf(header, mode));
      void sync.events(song.id!, header.id, events, header.passId);
      void sync.enqueue(closingOf(layer));
    }
  }

  /** Test for a layer that this or another window of this browser is recording. */
  async function isRecorded(layerId: string): Promise<boolean> {
    if (open.has(layerId)) return true;
    const { held } = await navigator.locks.query();
    return held?.some((lock) => lock.name === lockOf(layerId)) ?? false;
  }

  return { closed, onTheirWay, modes, begin, keep, goOn, finish, store, isRecorded };
});
