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
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useRun } from './run';

/** Delivery of the open song: its settings, its open checks, and its earlier versions. */
export const useDelivery = defineStore('delivery', () => {
  const song = useSong();
  const reading = useReading();
  const layers = useLayers();
  const notices = useNotices();
  const run = useRun();
  const sync = useSync();

  const delivery = shallowRef<Delivery>(USUAL_DELIVERY);
  /** Parts that are made this time; the next time it is all again. */
  const which = ref<Which>('all');
  const versions = shallowRef<readonly Version[]>([]);
  /** Versions that say what the client has of the parts, each with its song, the newest first. */
  const had = shallowRef<readonly StoredVersion[]>([]);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const trouble = ref('');

  /** Count of choices made here: an answer to an earlier question is out of date. */
  let chosen = 0;
  let sent: Promise<void> = Promise.resolve();

  /** Reads what the client gets. Where it was read before and cannot be now, that is still the best that is known. */
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
      const ids = song.document!.parts.map((p) => p.id);
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

  /** Takes over the choice for the job, made here or in another window. Files of another choice are dropped. */
  function take(now: Delivery): void {
    if (state.value === 'ready' && !sameDelivery(now, delivery.value)) run.forget();
    delivery.value = now;
  }

  /** Sets some of it, for every song of the job. */
  function set(to: Partial<Delivery>): Promise<void> {
    // Before it is known what was chosen, nothing is chosen over it.
    if (state.value !== 'ready') return sent;
    const before = delivery.value;
    const now = { ...before, ...to };
    const path = `/api/jobs/${encodeURIComponent(song.jobId!)}/delivery`;
    chosen += 1;
    delivery.value = now;
    run.forget();
    // Only what is set here is sent: another window may have set something else.
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
  /** Chooses parts for this time alone. */
  function choose(to: Which): void {
    run.forget();
    which.value = to;
  }

  /** Has files made of what is chosen, once that is at the server. */
  async function make(): Promise<void> {
    await sent;
    await run.make(which.value, () => delivery.value);
    if (!run.trouble) return;
    // What is on the screen may not be what is chosen. Why nothing was made stays said.
    const why = run.trouble;
    await load();
    run.trouble = why;
  }

  const hasAny = (part: Part): boolean =>
    hasSomething(part, reading.lines.get(part.id)!, layers.closed, song.document!, reading.maps!);
  const all = computed(() => (song.document ? partsWanted(song.document, delivery.value) : []));
  const played = computed(() => all.value.filter(hasAny));
  /** Changes since they went out, of all parts that the client gets; null before the first version. */
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
  /** Parts that would go out, were they played: a check says that they are not. */
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
  /** Files that would clip, known once the sound is made. */
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

  /** Hands over what is made, and makes it first where it is not; nothing goes out with a check that is open. */
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
