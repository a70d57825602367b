import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { songSchema } from '~~/core/document/document';
import { changedSince, isChanged, type Changed } from '~~/core/handover/changed';
import { checksOf, clippedCheck, openChecks, type Check } from '~~/core/handover/checks';
import { deliverySchema, sameDelivery, USUAL_DELIVERY, type Delivery } from '~~/core/handover/delivery';
import type { Part } from '~~/core/document/part';
import { filesOf, hasSomething, partsGoing } from '~~/core/handover/files';
import type { Version } from '~~/core/handover/version';
import { ask, wordsOf, type StoredVersion } from '~/api/api';
import { useKeeping } from '~/keeping/keeping';
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
  const keeping = useKeeping();

  const delivery = shallowRef<Delivery>(USUAL_DELIVERY);
  const versions = shallowRef<readonly Version[]>([]);
  /** The song as it went out last. */
  const last = shallowRef<StoredVersion | null>(null);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const trouble = ref('');

  /** Count of choices made here: an answer to an earlier question is out of date. */
  let chosen = 0;
  let sent: Promise<void> = Promise.resolve();

  /** @param again because it may have changed elsewhere */
  async function load(again = false): Promise<void> {
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
      const number = out.at(-1)?.number;
      const latest = number ? await ask<StoredVersion>(`${path}/${number}`) : null;
      if (song.id !== songId) return;
      if (chosen === before) take(deliverySchema.parse(stored));
      versions.value = out;
      last.value = latest && { ...latest, document: songSchema.parse(latest.document) };
      state.value = 'ready';
    } catch (error) {
      // What was read before is still the best that is known.
      if (again) return;
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
    // One after the other: the last that was chosen is the last that is kept. Only what is set here is sent: another
    // window may have set something else.
    sent = sent
      .then(() => ask<Delivery>(path, to, 'PUT'))
      .then(
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
  /** Has files made of what is chosen, once that is at the server. */
  async function make(onlyChanged: boolean): Promise<void> {
    await sent;
    await run.make(onlyChanged, () => delivery.value);
    if (!run.trouble) return;
    // What is on the screen may not be what is chosen. Why nothing was made stays said.
    const why = run.trouble;
    await load(true);
    run.trouble = why;
  }

  const hasAny = (part: Part): boolean =>
    hasSomething(part, reading.lines.get(part.id)!, layers.closed, song.document!, reading.maps!);
  const going = computed(() => (song.document ? partsGoing(song.document, delivery.value, hasAny) : []));
  /** Parts that would go out, were they played: a check says that they are not. */
  const wanted = computed(
    () => song.document?.parts.filter((p) => !p.away && !delivery.value.leftOut.includes(p.id)) ?? [],
  );
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
    const now = new Set(checks.value.map((c) => c.sign));
    return song.document?.waived.filter((w) => now.has(w.check)) ?? [];
  });

  /** Changes since the last version; null before the first. */
  const changed = computed((): Changed | null =>
    last.value && song.document ? changedSince(last.value.document, song.document, layers.closed) : null,
  );
  const isSame = computed(() => changed.value !== null && !isChanged(changed.value));

  keeping.followFeed((changed) => {
    if (state.value === 'ready' && (changed === null || changed.song === null)) void load(true);
  });

  watch(
    () => song.id,
    () => {
      state.value = 'loading';
      versions.value = [];
      last.value = null;
    },
  );

  return {
    ...{ delivery, versions, last, state, trouble, load, set, make, going, wanted, nextVersion, files },
    ...{ checks, open, waived, clipped, changed, isSame, hasAny },
  };
});
