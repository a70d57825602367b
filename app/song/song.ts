import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { change, undoLabel, kindOf, nameOf, type Command } from '~~/core/song/changes';
import { LAP } from '~~/core/song/commands/recording';
import { patched, stacksOf, type HistoryRow } from '~~/core/song/history';
import { songSchema, type SongDocument } from '~~/core/document/document';
import type { Part } from '~~/core/document/part';
import { lineOf, takeReader, type Layers, type TakeReader } from '~~/core/song/reading';
import { mapsOf } from '~~/core/document/maps';
import type { PassResult } from '~~/core/recording/state';
import { closeLayer } from '~~/core/recording/writing';
import type { Layer, LayerClosing, LayerEvent, LayerHeader } from '~~/core/takes/layer';
import type { Mode } from '~~/core/vocabulary/modes';
import { tempoMap, tickAt } from '~~/core/time/tempo';
import type { Seconds } from '~~/core/time/units';
import type { TreatedReading } from '~~/core/timing/treatment';
import { keeperOf } from '~/keeping/page';
import { anyErrands, localStore, strandedLayers, type Errand } from '~/keeping/local';
import type { Keeping, Refusal } from '~/keeping/outbox';
import { ask, type OpenedSong, type StoredLayer, type StoredSong } from '~/api/api';
import { useNotices } from '~/notices/notices';

/** Held by the tab that records a layer, so that another does not take it for one that was cut off. */
const lockOf = (layerId: string): string => `tall-kettle layer ${layerId}`;

/** A pass that was cut off is taken to have ended this long after the last thing that was kept of it. */
const TAIL: Seconds = 0.25;

/** The open song: its document, its layers, its history, and the way to the server. */
export const useSong = defineStore('song', () => {
  const notices = useNotices();
  const id = ref<string | null>(null);
  const job = ref('');
  const document = shallowRef<SongDocument | null>(null);
  const revision = ref(0);
  const layers = shallowRef<Layers>(new Map());
  const history = shallowRef<readonly HistoryRow[]>([]);
  /** What the keeper said last. */
  const kept = ref<Keeping>('kept');
  /** How many errands are on their way to the keeper. */
  const handing = ref(0);
  const keeping = computed((): Keeping => (kept.value === 'kept' && handing.value > 0 ? 'keeping' : kept.value));
  /** The layers that this tab records, with what lets go of each. */
  const open = new Map<string, () => void>();

  /** The tempo, meter and length of the song, compiled; the same as long as they are. */
  const form = computed<Pick<SongDocument, 'tempo' | 'meter' | 'bars'> | undefined>((before) => {
    const song = document.value;
    if (!song) return undefined;
    return before && before.tempo === song.tempo && before.meter === song.meter && before.bars === song.bars
      ? before
      : song;
  });
  const maps = computed(() => (form.value ? mapsOf(form.value) : null));
  const stacks = computed(() => stacksOf(history.value));
  const undoWords = computed(() => {
    const last = stacks.value.done.at(-1);
    return last && undoLabel(last.name);
  });

  /** Reads each take once for as long as the layers stay. */
  const clocks = computed(() => document.value?.clocks ?? []);
  const readTake = computed(() => takeReader(layers.value, clocks.value));

  interface KnownLine {
    readonly part: Part;
    readonly read: TakeReader;
    readonly meter: SongDocument['meter'];
    readonly line: TreatedReading;
  }
  const sameLine = (a: Part, b: Part): boolean =>
    a.takes === b.takes && a.comp === b.comp && a.treatments === b.treatments;

  /** Each part's line. One that nothing has changed is the very same as before, and so is the whole then. */
  const known = computed<ReadonlyMap<string, KnownLine>>((before) => {
    const song = document.value;
    if (!song || !maps.value) return new Map();
    const read = readTake.value;
    const now = song.parts.map((part): KnownLine => {
      const old = before?.get(part.id);
      if (old && old.read === read && old.meter === song.meter && sameLine(old.part, part)) return old;
      return { part, read, meter: song.meter, line: lineOf(part, read, maps.value!.meter) };
    });
    if (before?.size === now.length && now.every((k) => before.get(k.part.id) === k)) return before;
    return new Map(now.map((k) => [k.part.id, k]));
  });
  const lines = computed(
    (): ReadonlyMap<string, TreatedReading> => new Map([...known.value].map(([part, { line }]) => [part, line])),
  );

  const keeper = keeperOf(
    (state) => {
      kept.value = state;
    },
    settle,
    () => {
      notices.say(
        'What you play would not be kept: a part of the program did not start. Load the page again before you play.',
      );
    },
  );

  /** Hands something over to be kept, and says when the browser will not. */
  async function handOver(keep: () => Promise<unknown>): Promise<void> {
    handing.value += 1;
    await keep().catch(() =>
      notices.say('This browser would not keep what was played. Free some disk space; what the server has is safe.'),
    );
    handing.value -= 1;
  }
  const send = (errand: Omit<Errand, 'songId'>): Promise<void> => {
    const songId = id.value!;
    return handOver(() => keeper.errand({ songId, ...errand }));
  };

  /** An errand that the server refused: a stale change is made again on the newer song, anything else is said. */
  async function settle({ key, errand, status, reason, data }: Refusal): Promise<'drop' | 'retry'> {
    if (status !== 409 || !errand.path.endsWith('/changes')) {
      notices.say(`The server would not keep something: ${reason} It stays out; everything else was kept.`);
      return 'drop';
    }
    const db = await localStore();
    let newer = data as StoredSong;
    const keys = await db.getAllKeys('errands');
    for (const later of keys.filter((k) => k >= key)) {
      const waiting = await db.get('errands', later);
      if (!waiting || waiting.songId !== errand.songId || !waiting.path.endsWith('/changes')) continue;
      if (!waiting.command) {
        notices.say('This song was changed in another window. An undo made here meanwhile was left out.');
        await db.delete('errands', later);
        continue;
      }
      const made = change(newer.document, waiting.command);
      const body = { ...(waiting.body as object), base: newer.revision, patches: made.patches, inverse: made.inverse };
      newer = { ...newer, document: made.document, revision: newer.revision + 1 };
      await db.put('errands', { ...waiting, body }, later);
    }
    notices.say('This song was changed in another window. Both changes were kept.', 'plain');
    if (id.value === errand.songId) void keeper.carry().then(() => load(errand.songId));
    return errand.command ? 'retry' : 'drop';
  }

  async function load(songId: string): Promise<void> {
    for (const layer of await strandedLayers(songId))
      if (!open.has(layer) && !(await recordedElsewhere(layer))) await keeper.rescue(layer);
    // With nothing left of an earlier visit the song need not wait for the worker to start.
    if (handing.value > 0 || (await anyErrands())) await keeper.carry();
    const song = await ask<OpenedSong>(`/api/songs/${encodeURIComponent(songId)}`);
    id.value = songId;
    job.value = song.job;
    // What an older version stored gets the settings it did not know.
    document.value = songSchema.parse(song.document);
    revision.value = song.revision;
    history.value = song.history;
    layers.value = new Map(
      song.layers.flatMap((l): [string, Layer][] =>
        l.closing ? [[l.header.id, { header: l.header, closing: l.closing, events: l.events }]] : [],
      ),
    );
    for (const layer of song.layers) {
      if (!layer.closing && !open.has(layer.header.id)) await recover(layer);
    }
    await recoverUnused(song);
  }

  async function recordedElsewhere(layerId: string): Promise<boolean> {
    const { held } = await navigator.locks.query();
    return held?.some((lock) => lock.name === lockOf(layerId)) ?? false;
  }

  /** Closes a layer whose pass was cut off, over what was kept, and makes the take it would have made. */
  async function recover({ header, mode, events }: StoredLayer): Promise<void> {
    if (await recordedElsewhere(header.id)) return;
    // What was held when it broke off ends with the last thing that was kept.
    const last = Math.max(...events.map((e) => e.at), -Infinity);
    const endedAt = Number.isFinite(last) ? tickAt(tempoMap(header.tempo), last + TAIL) : header.planned.from;
    const closed = closeLayer(header, events, mode, endedAt);
    finishLayer({ header, closing: closed.closing, events });
    if (closed.notes === 0 && !closed.touched) return;
    run({ type: 'record', result: { passId: header.passId, mode, layers: [closed] }, at: header.startedAt });
    notices.say(`A pass was cut off. What had been played was kept as a take of ${partName(header.partId)}.`, 'plain');
  }

  /** A layer can have been closed without its take having been made: the page went between the two. */
  async function recoverUnused(song: OpenedSong): Promise<void> {
    const used = new Set(song.document.parts.flatMap((p) => p.takes.flatMap((t) => t.layers)));
    const unused = song.layers.filter((l) => !used.has(l.header.id));
    if (unused.length === 0) return;
    // A take that was undone is in the history, and stays undone.
    const mentioned = JSON.stringify(song.history);
    for (const { header, closing, mode, events } of unused) {
      if (!closing || mentioned.includes(header.id) || closing.range.to <= closing.range.from) continue;
      const again = closeLayer(header, events, mode, closing.range.to, closing.rings, closing.seam);
      if (again.notes === 0 && !again.touched) continue;
      run({
        type: 'record',
        result: { passId: header.passId, mode, layers: [{ ...again, closing }] },
        at: header.startedAt,
      });
    }
  }

  const partName = (partId: string): string => document.value?.parts.find((p) => p.id === partId)?.name ?? 'a part';

  function enter(
    kind: HistoryRow['kind'],
    name: string,
    next: SongDocument,
    row: Pick<HistoryRow, 'patches' | 'inverse'>,
    command?: Command,
  ): void {
    const base = revision.value;
    document.value = next;
    revision.value = base + 1;
    history.value = [...history.value, { revision: base + 1, kind, name, ...row }];
    void send({
      method: 'POST',
      path: `/api/songs/${encodeURIComponent(id.value!)}/changes`,
      body: { base, kind, name, ...row },
      ...(command ? { command } : {}),
    });
  }

  /** Changes the song here at once, and at the server in its turn. A change that changes nothing is none. */
  function run(given: Command): void {
    if (!document.value) return;
    // What a screen hands over may be watched by it; the song and the browser's storage take plain values only.
    const command = JSON.parse(JSON.stringify(given)) as Command;
    const made = change(document.value, command);
    if (made.patches.length === 0) return;
    enter(kindOf(command), nameOf(command), made.document, made, command);
  }

  function undo(): boolean {
    const row = stacks.value.done.at(-1);
    if (!row || !document.value) return false;
    enter('undo', row.name, patched(document.value, row.inverse), { patches: row.inverse, inverse: row.patches });
    return true;
  }

  /** Takes back all laps of the pass whose lap was recorded last; of anything else, the last change. */
  function undoPass(): boolean {
    const name = stacks.value.done.at(-1)?.name;
    if (!undo()) return false;
    while (name?.startsWith(LAP) && stacks.value.done.at(-1)?.name === name) undo();
    return true;
  }

  function redo(): boolean {
    const row = stacks.value.undone.at(-1);
    if (!row || !document.value) return false;
    enter('redo', row.name, patched(document.value, row.patches), { patches: row.patches, inverse: row.inverse });
    return true;
  }

  const opening = (header: LayerHeader, mode: Mode): Promise<void> =>
    send({ method: 'POST', path: '/api/layers', body: { songId: id.value, header, mode } });
  const closing = (layerId: string, body: LayerClosing): Errand => ({
    songId: id.value!,
    method: 'POST',
    path: `/api/layers/${encodeURIComponent(layerId)}/close`,
    body,
  });

  function openLayer(header: LayerHeader, mode: Mode): void {
    let release = () => {};
    const over = new Promise<void>((done) => {
      release = done;
    });
    open.set(header.id, release);
    void navigator.locks.request(lockOf(header.id), () => over);
    void opening(header, mode);
  }

  function keepEvent(layerId: string, event: LayerEvent): void {
    if (!open.has(layerId)) return;
    keeper
      .arrive(id.value!, layerId, event)
      .catch(() =>
        notices.say(
          'This browser will not keep what you play: its storage is full or switched off. End the take, make room, and go again.',
        ),
      );
  }

  /** Closes a layer for good, here and at the server. */
  function finishLayer(layer: Layer): void {
    layers.value = new Map(layers.value).set(layer.header.id, layer);
    const { id: layerId } = layer.header;
    const last = closing(layerId, layer.closing);
    void handOver(() => keeper.finish(layerId, last)).then(() => {
      open.get(layerId)?.();
      open.delete(layerId);
    });
  }

  /** Stores layers that are whole already, and puts them into takes by one change. */
  function keepLayers(kept: readonly { readonly layer: Layer; readonly mode: Mode }[], command: Command): void {
    const songId = id.value!;
    layers.value = new Map([...layers.value, ...kept.map(({ layer }) => [layer.header.id, layer] as const)]);
    for (const {
      layer: { header, events, closing: end },
      mode,
    } of kept) {
      void opening(header, mode);
      void handOver(() => keeper.events(songId, header.id, events));
      const last = closing(header.id, end);
      void handOver(() => keeper.errand(last));
    }
    run(command);
  }

  const finishPass = (result: PassResult, at: string): void => run({ type: 'record', result, at });

  return {
    id,
    job,
    document,
    revision,
    layers,
    keeping,
    maps,
    stacks,
    undoWords,
    lines,
    readTake,
    /** Sends what this browser still holds from an earlier visit. */
    carry: () => keeper.carry(),
    load,
    run,
    undo,
    undoPass,
    redo,
    openLayer,
    keepEvent,
    finishLayer,
    finishPass,
    keepLayers,
  };
});
