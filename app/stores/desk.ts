import { defineStore } from 'pinia';
import { ref } from 'vue';
import { newSong } from '~~/core/song/document';
import { songFromMidi } from '~~/core/song/frommidi';
import { ask, wordsOf, type JobSummary } from '~/utils/api';

/** The jobs, as the server last told them. */
export const useDesk = defineStore('desk', () => {
  const jobs = ref<readonly JobSummary[]>([]);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const trouble = ref('');

  async function load(): Promise<void> {
    try {
      jobs.value = await ask<JobSummary[]>('/api/jobs');
      state.value = 'ready';
    } catch (error) {
      trouble.value = wordsOf(error);
      state.value = 'failed';
    }
  }

  async function addJob(title: string, client: string, due: string | null): Promise<void> {
    await ask('/api/jobs', { title, client, due });
    await load();
  }

  /** Returns the new song's id. */
  async function addSong(jobId: string, title: string): Promise<string> {
    const { id } = await ask<{ id: string }>('/api/songs', { jobId, document: newSong(title, crypto.randomUUID()) });
    await load();
    return id;
  }

  /** A song from a Standard MIDI File: its tempo, meter and sections, and a take for each of its tracks. @throws DamagedFile */
  async function addSongFromFile(jobId: string, file: File): Promise<string> {
    const made = songFromMidi(new Uint8Array(await file.arrayBuffer()), file.name, () => crypto.randomUUID(), new Date().toISOString());
    const { id } = await ask<{ id: string }>('/api/songs', { jobId, ...made });
    await load();
    return id;
  }

  return { jobs, state, trouble, load, addJob, addSong, addSongFromFile };
});
