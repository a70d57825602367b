import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { songSchema } from '~~/core/document/document';
import { changedSince, isChanged, newestWith, type Changed } from '~~/core/handover/changed';
import { checksOf, clippedCheck, openChecks, type Check } from '~~/core/handover/checks';
import { deliverySchema, sameDelivery, USUAL_DELIVERY, type Delivery } from '~~/core/handover/delivery';
import type { Part } from '~~/core/document/part';
import { filesOf, hasSomething, partsWanted } from '~~/core/handover/files';
import type { Version } from '~~/core/handover/version';
import { ask, wordsOf, type StoredVersion, type Which } from '~/api/api';
import { askInTurn } from '~/api/inTurn';
import { useSync } from '~/sync/sync';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useRun } from './run';

/** Delivery of the open song: its settings, open checks and earlier versions. */
export const useDelivery = defineStore('delivery', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const notices = useNotices();
  const run = useRun();
  const sync = useSync();

  const delivery = shallowRef<Delivery>(USUAL_DELIVERY);
  /** Parts that are made this time; all again the next time. */
  const which = ref<Which>('all');
  const versions = shallowRef<readonly Version[]>([]);
  /** Versions that the client has of the parts, each with its song, the newest first. */
  const had = shallowRef<readonly StoredVersion[]>([]);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const trouble = ref('');

  /** Counter of choices made here, so that the answer to an older question is ignored. */
  let chosen = 0;
  let sent: Promise<void> = Promise.resolve();

  /** Reads what the client gets. Where that fails, the last known state stays. */
  async function load(): Promise<void> {
    const [songId, jobId] = [song.id, song.jobId];
    if (!songId || !jobId) return;
    const path = `/api/songs/${encodeURIComponent(songId)}/versions`;
    const before = chosen;
    try {
      await sent;
      const [stored, out] = await Promise.all([
        ask<unknown>(`/api/jobs/${encodeURIComponent(jobId)}/delivery`),
        ask<Version[]>(path),
      ]);
      const ids = openSong.document.parts.map((p) => p.id);
      const latest = await Promise.all(
        newestWith(out, ids).map(({ number }) => ask<StoredVersion>(`${path}/${number}`)),
      );
      if (song.id !== songId) return;
      if (chosen === before) take(deliverySchema.parse(stored));
      versions.value = out;
      had.value = latest.map((version) => ({ ...version, document: songSchema.parse(version.document) }));
      state.value = 'ready';
    } catch (error) {
      if (song.id !== songId || state.value === 'ready') return;
      trouble.value = wordsOf(error);
      state.value = 'failed';
    }
  }

  /** Takes over the job's choice, made here or in another window. Files made by another choice are dropped. */
  function take(now: Delivery): void {
    if (state.value === 'ready' && !sameDelivery(now, delivery.value)) run.forget();
    delivery.value = now;
  }

  /** Changes the delivery of all songs of the job. */
  function set(to: Partial<Delivery>): Promise<void> {
    // Nothing is changed before the current choice is known.
    if (state.value !== 'ready') return sent;
    const before = delivery.value;
    const now = { ...before, ...to };
    const path = `/api/jobs/${encodeURIComponent(song.jobId!)}/delivery`;
    chosen += 1;
    delivery.value = now;
    run.forget();
    // Only changed fields are sent, as another window may have changed others.
    sent = askInTurn<Delivery>(path, to).then(
      (kept) => {
        if (delivery.value === now) take(kept);
      },
      (error: unknown) => {
        if (delivery.value === now) delivery.value = before;
        notices.say(`That was not kept: ${wordsOf(error)} The delivery is as it was.`);
      },
    );
    return sent;
  }
  /** Selects parts for this time alone. */
  function choose(to: Which): void {
    run.forget();
    which.value = to;
  }

  /** Has the files made, once the choice is on the server. */
  async function make(): Promise<void> {
    await sent;
    await run.make(which.value, () => delivery.value);
    if (!run.trouble) return;
    // The choice on screen may be out of date. The reason of a failure stays shown.
    const why = run.trouble;
    await load();
    run.trouble = why;
  }

  const hasAny = (part: Part): boolean =>
    hasSomething(part, reading.lines.get(part.id)!, layers.closed, openSong.document, openSong.maps);
  const all = computed(() => (song.document ? partsWanted(song.document, delivery.value) : []));
  const played = computed(() => all.value.filter(hasAny));
  /** Changes in all delivered parts since the last version; null before the first. */
  const changed = computed((): Changed | null =>
    had.value.length > 0 && song.document
      ? changedSince(had.value, song.document, all.value, layers.closed, reading.reader)
      : null,
  );
  const isSame = computed(() => changed.value !== null && !isChanged(changed.value));
  /** Test for a part that is made this time. */
  function isMade({ id }: Part): boolean {
    if (typeof which.value !== 'string') return which.value.includes(id);
    if (which.value === 'all' || !changed.value || changed.value.song.length > 0) return true;
    return changed.value.parts.some((p) => p.id === id);
  }
  const going = computed(() => played.value.filter(isMade));
  /** Parts of the delivery, also those without notes, which a check reports. */
  const wanted = computed(() => all.value.filter(isMade));
  const nextVersion = computed(() => (versions.value.at(-1)?.number ?? 0) + 1);
  const files = computed(() =>
    song.document
      ? filesOf(song.document, going.value, delivery.value, { job: song.job, version: nextVersion.value })
      : [],
  );

  const found = computed((): Check[] => {
    const { document } = song;
    if (!document || !reading.maps || going.value.length === 0) return [];
    const { reader, lines, maps } = reading;
    return checksOf(document, wanted.value, layers.closed, maps, reader, (part) => lines.get(part.id)!);
  });
  /** Files that would clip; known once the sound is rendered. */
  const clipped = computed(() => {
    const files = run.run?.again ? [] : (run.run?.files ?? []);
    const peaks = files.flatMap((f) => (f.levels ? [{ name: f.file.name, truePeak: f.levels.truePeak }] : []));
    const sums = (run.run?.again ? [] : (run.run?.sums ?? [])).map(({ level, truePeak }) => ({
      ...{ name: `all parts together${level ? ', with level' : ''}`, truePeak },
    }));
    return clippedCheck([...peaks, ...sums], delivery.value);
  });
  const checks = computed(() => [...found.value, ...(clipped.value ? [clipped.value.check] : [])]);
  const open = computed(() => (song.document ? openChecks(checks.value, song.document) : []));
  const waived = computed(() => {
    const now = new Set(checks.value.map((c) => c.fingerprint));
    return song.document?.waived.filter((w) => now.has(w.check)) ?? [];
  });

  /** Hands over the files, and makes them first where needed; nothing goes out while a check is open. */
  async function handOver(save: () => Promise<boolean>): Promise<void> {
    if (run.run?.state !== 'ready') await make().then(run.ended);
    const ready = run.run?.state === 'ready' && (run.run.handed || open.value.length === 0);
    if (!ready || !(await save())) return;
    await load();
    which.value = 'all';
  }

  sync.followFeed((changed) => {
    if (state.value === 'ready' && (changed === null || changed.song === null)) void load();
  });

  watch(
    () => song.id,
    () => {
      state.value = 'loading';
      versions.value = [];
      had.value = [];
      which.value = 'all';
    },
  );

  return {
    ...{
      delivery,
      which,
      versions,
      state,
      trouble,
      load,
      set,
      choose,
      make,
      handOver,
      all,
      played,
      going,
      nextVersion,
      files,
    },
    ...{ checks, open, waived, clipped, changed, isSame, hasAny },
  };
});
