import { useDebounceFn } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { newSong } from '~~/core/document/document';
import { songFromScore } from '~~/core/import/fromScore';
import { songFromMidi } from '~~/core/import/fromMidi';
import { useOpening } from '~/song/opening';
import { ask, wordsOf, type JobSummary } from '~/api/api';
import { useSync } from '~/sync/sync';
import { useNotices } from '~/notices/notices';
import { useSong } from '~/song/song';

export type Shelf = JobSummary['shelf'];
export type JobFacts = Pick<JobSummary, 'title' | 'client' | 'due' | 'notes'>;
export type Sort = 'due' | 'newest' | 'title';

const SHELF_WORDS: Readonly<Record<Shelf, string>> = {
  desk: 'is back on the desk',
  away: 'was put away',
  deleted: 'was deleted',
};

const order: Readonly<Record<Sort, (a: JobSummary, b: JobSummary) => number>> = {
  // Jobs without a date come last.
  due: (a, b) => (a.due ?? '9999').localeCompare(b.due ?? '9999') || b.createdAt.localeCompare(a.createdAt),
  newest: (a, b) => b.createdAt.localeCompare(a.createdAt),
  title: (a, b) => a.title.localeCompare(b.title),
};

const holds = (words: string, ...texts: readonly string[]): boolean => {
  const all = texts.join(' ').toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => all.includes(word));
};

/** Title of a job that was begun by playing, until it is named. */
export const NO_JOB_YET = 'No job yet';
const PLAYED_ON = new Intl.DateTimeFormat(undefined, {
  day: 'numeric',
  month: 'long',
  hour: '2-digit',
  minute: '2-digit',
});

/** Jobs and songs, as the server reported them last. */
export const useDesk = defineStore('desk', () => {
  const notices = useNotices();
  const sync = useSync();
  const opening = useOpening();
  const song = useSong();
  const jobs = shallowRef<readonly JobSummary[]>([]);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const trouble = ref('');
  const shelf = ref<Shelf>('desk');
  const search = ref('');
  const sort = ref<Sort>('due');

  /**
   * Jobs and songs on the shown shelf that match the search. A song on another shelf than its job shows its job there.
   */
  const shown = computed(() =>
    jobs.value
      .flatMap((job): JobSummary[] => {
        const songs = job.songs.filter((s) =>
          job.shelf === shelf.value
            ? shelf.value !== 'desk' || s.shelf === 'desk'
            : job.shelf === 'desk' && s.shelf === shelf.value,
        );
        if (job.shelf !== shelf.value && songs.length === 0) return [];
        // A job with all of its songs keeps its object, so that it is not rendered with each letter typed.
        const withSongs = (found: typeof songs) => (found.length === job.songs.length ? job : { ...job, songs: found });
        const words = search.value.trim();
        if (!words || holds(words, job.title, job.client, job.notes)) return [withSongs(songs)];
        const found = songs.filter((s) =>
          holds(words, job.title, job.client, s.title, s.notes, ...s.parts.map((p) => p.name)),
        );
        return found.length ? [withSongs(found)] : [];
      })
      .sort(order[sort.value]),
  );

  async function load(): Promise<void> {
    try {
      jobs.value = await ask<JobSummary[]>('/api/jobs');
      state.value = 'ready';
    } catch (error) {
      trouble.value = wordsOf(error);
      state.value = 'failed';
    }
  }

  /** True while the Desk is shown: then changes by others are read after a moment. */
  const looked = ref(false);
  const soon = useDebounceFn(() => {
    if (looked.value) void load();
  }, 400);
  sync.followFeed(() => void soon());

  async function addJob(facts: JobFacts): Promise<void> {
    await ask('/api/jobs', facts);
    await load();
  }

  async function setJob(id: string, facts: JobFacts): Promise<void> {
    await ask(`/api/jobs/${encodeURIComponent(id)}`, facts, 'PATCH');
    await load();
  }

  async function setSong(id: string, facts: { title: string; notes?: string; jobId?: string }): Promise<void> {
    await ask(`/api/songs/${encodeURIComponent(id)}`, facts, 'PATCH');
    if (song.id === id) await opening.load(id);
    await load();
  }

  /** Moves a job or song to a shelf, and offers to take that back. */
  async function put(
    kind: 'jobs' | 'songs',
    thing: { readonly id: string; readonly title: string; readonly shelf: Shelf },
    to: Shelf,
  ): Promise<void> {
    const from = thing.shelf;
    const move = async (onto: Shelf) => {
      await ask(`/api/${kind}/${encodeURIComponent(thing.id)}`, { shelf: onto }, 'PATCH');
      await load();
    };
    await move(to);
    notices.say(`${thing.title} ${SHELF_WORDS[to]}. Everything in it is kept.`, 'plain', {
      action: { label: 'Undo', run: () => void move(from).catch((error) => notices.say(wordsOf(error))) },
    });
  }

  async function duplicate(kind: 'jobs' | 'songs', id: string): Promise<void> {
    await ask(`/api/${kind}/${encodeURIComponent(id)}/copy`, {});
    await load();
  }

  /** Adds a song. @returns its id */
  async function addSong(
    jobId: string,
    title: string,
    document = newSong(title, crypto.randomUUID()),
  ): Promise<string> {
    const { id } = await ask<{ id: string }>('/api/songs', { jobId, document });
    await load();
    return id;
  }

  /** Makes a song to play at once, in a job of its own; both are named later. @returns its id */
  async function playNow(): Promise<string> {
    const { id } = await ask<{ id: string }>('/api/jobs', { title: NO_JOB_YET, client: '', due: null, notes: '' });
    const title = `Played on ${PLAYED_ON.format(new Date())}`;
    const plain = newSong(title, crypto.randomUUID());
    // A song without settings of the player's has a count-off.
    return addSong(id, title, { ...plain, brief: { ...plain.brief, countOffBars: 1 } });
  }

  /** Names the open song, and moves it to the job of that title: an existing one, its own, or a new one. */
  async function nameSong(title: string, jobTitle: string): Promise<void> {
    const { id } = song;
    if (!id) return;
    await load();
    const own = jobs.value.find((j) => j.id === song.jobId);
    const other = jobs.value.find((j) => j.shelf === 'desk' && j.id !== own?.id && j.title === jobTitle);
    const isAlone = own?.songs.length === 1;
    const facts = { title: jobTitle, client: '', due: null, notes: '' };
    if (!other && own && isAlone) await ask(`/api/jobs/${encodeURIComponent(own.id)}`, { title: jobTitle }, 'PATCH');
    const jobId = other || !isAlone ? (other?.id ?? (await ask<{ id: string }>('/api/jobs', facts)).id) : undefined;
    await setSong(id, { title, ...(jobId && { jobId }) });
    if (other && own && isAlone) await ask(`/api/jobs/${encodeURIComponent(own.id)}`, { shelf: 'deleted' }, 'PATCH');
    await load();
  }

  /** Makes a song from a Standard MIDI File: tempo, meter, sections, and a take for each track. @throws DamagedFile */
  async function addSongFromFile(jobId: string, file: File): Promise<string> {
    const made = songFromMidi(
      new Uint8Array(await file.arrayBuffer()),
      file.name,
      () => crypto.randomUUID(),
      new Date().toISOString(),
    );
    const { id } = await ask<{ id: string }>('/api/songs', { jobId, ...made });
    await load();
    return id;
  }

  /**
   * Makes a song from a MusicXML score: its form only.
   * @returns its id, and what was skipped
   * @throws DamagedFile
   */
  async function addSongFromScore(
    jobId: string,
    file: File,
  ): Promise<{ readonly id: string; readonly left: readonly string[] }> {
    const { document, left } = songFromScore(await file.text(), file.name, () => crypto.randomUUID());
    const { id } = await ask<{ id: string }>('/api/songs', { jobId, document });
    await load();
    return { id, left };
  }

  return {
    looked,
    jobs,
    shown,
    state,
    trouble,
    shelf,
    search,
    sort,
    load,
    addJob,
    setJob,
    setSong,
    put,
    duplicate,
    addSong,
    playNow,
    nameSong,
    addSongFromFile,
    addSongFromScore,
  };
});
