import { many } from '~~/core/vocabulary/many';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import type { Delivery } from '~~/core/handover/delivery';
import { partFingerprints } from '~~/core/reading/barStates';
import type { Milliseconds } from '~~/core/time/units';
import { ask, ServerSaid, wordsOf, type Run, type Which, type Wish } from '~/api/api';
import { saveFrom } from '~/controls/save';
import { useSync } from '~/sync/sync';
import { useLongWork } from '~/notices/longWork';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { writeIntoFolder } from './folder';

/** Interval of asking for progress. */
const ASKED_EVERY: Milliseconds = 250;
/** Longest wait for settings to reach the server before files are made. */
const PATIENCE: Milliseconds = 15_000;

/** Files that the server makes, and handing them over. */
export const useRun = defineStore('run', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const sync = useSync();
  const notices = useNotices();

  const run = shallowRef<Run | null>(null);
  /** Progress of writing files into a folder; null at other times. */
  const writing = ref<{ readonly done: number; readonly of: number } | null>(null);
  /** True while a request has been sent and its work has not begun. */
  const asked = ref(false);
  const trouble = ref('');
  const busy = computed(() => asked.value || writing.value !== null || run.value?.state === 'making');
  useLongWork().at('hand-over', () => (run.value?.state === 'making' ? run.value.done : null));
  const pathOf = (id: string) => `/api/runs/${encodeURIComponent(id)}`;

  let following: Promise<void> = Promise.resolve();
  async function start(wish: () => Wish): Promise<void> {
    trouble.value = '';
    asked.value = true;
    try {
      await allKept();
      const path = `/api/songs/${encodeURIComponent(song.id!)}/runs`;
      run.value = await ask<Run>(path, wish());
      following = follow(run.value.id);
    } catch (error) {
      trouble.value = wordsOf(error);
    } finally {
      asked.value = false;
    }
  }

  /** Waits until all changes are on the server. */
  function allKept(): Promise<void> {
    if (sync.state === 'kept') return Promise.resolve();
    return new Promise((done, failed) => {
      const late = setTimeout(() => {
        stop();
        failed(new Error('What is set here has not reached the server yet, so no files are made. Try it in a moment.'));
      }, PATIENCE);
      const stop = watch(
        () => sync.state,
        (now) => {
          if (now !== 'kept') return;
          clearTimeout(late);
          stop();
          done();
        },
      );
    });
  }

  async function follow(id: string): Promise<void> {
    while (run.value?.id === id && run.value.state === 'making') {
      await new Promise((done) => setTimeout(done, ASKED_EVERY));
      const now = await ask<Run>(pathOf(id)).catch((error: unknown) => {
        // A server that is away is asked again; one that does not know the files will not know them later.
        if (error instanceof ServerSaid && error.status === 0) return null;
        return error as Error;
      });
      if (run.value?.id !== id) return;
      if (now instanceof Error) {
        run.value = null;
        trouble.value = wordsOf(now);
      } else if (now) run.value = now;
    }
    if (run.value?.id === id && run.value.state === 'failed') {
      trouble.value = run.value.trouble;
      run.value = null;
    }
  }

  /** @param delivery the delivery on screen */
  const make = (which: Which, delivery: () => Delivery) =>
    start(() => ({ revision: song.revision, which, delivery: delivery() }));
  /** Waits until the current work ends. */
  const ended = () => following;
  const again = (version: number) => start(() => ({ again: version }));

  /** Stops making files, or drops finished ones. */
  function forget(): void {
    const id = run.value?.id;
    run.value = null;
    trouble.value = '';
    stopWriting?.abort();
    if (id) void ask(pathOf(id), undefined, 'DELETE').catch(() => {});
  }

  /** Records the version on the server and in the song. @returns true if the files may go out */
  async function handOver(): Promise<boolean> {
    const now = run.value;
    if (!now || now.state !== 'ready') return false;
    if (now.handed) return true;
    trouble.value = '';
    asked.value = true;
    try {
      await allKept();
      const { run: handed, at } = await ask<{ run: Run; at: string }>(`${pathOf(now.id)}/handed`, {});
      run.value = handed;
      await reading.settled();
      const maps = openSong.maps;
      const ids = new Set(handed.files.flatMap(({ file }) => partsOf(file)));
      const parts = openSong.document.parts
        .filter((p) => ids.has(p.id))
        .map((p) => ({
          id: p.id,
          bars: partFingerprints(p, reading.lines.get(p.id)!, layers.closed, openSong.document, maps),
        }));
      song.run({ type: 'hand over', parts, version: handed.version, at });
      return true;
    } catch (error) {
      trouble.value = wordsOf(error);
      return false;
    } finally {
      asked.value = false;
    }
  }

  const partsOf = (file: Run['files'][number]['file']): readonly string[] => {
    if (file.type === 'midi') return file.parts;
    return file.type === 'audio' ? [file.part] : [];
  };

  async function saveZip(): Promise<boolean> {
    if (!(await handOver())) return false;
    saveFrom(`${pathOf(run.value!.id)}/zip`);
    return true;
  }

  /** Opens the browser's folder dialog. It has to follow a press directly, as browsers demand. */
  async function chooseFolder(): Promise<FileSystemDirectoryHandle | null> {
    try {
      return await window.showDirectoryPicker!({ mode: 'readwrite' });
    } catch (error) {
      // The dialog was closed without a folder.
      if (!(error instanceof DOMException && error.name === 'AbortError'))
        trouble.value = `No folder could be opened: ${wordsOf(error)} Nothing was handed over; a zip can be.`;
      return null;
    }
  }

  let stopWriting: AbortController | null = null;
  async function saveFolder(folder: FileSystemDirectoryHandle): Promise<boolean> {
    if (!(await handOver())) return false;
    const now = run.value!;
    const stopping = new AbortController();
    stopWriting = stopping;
    const files = now.files.map(({ file }, i) => ({ name: file.name, address: `${pathOf(now.id)}/files/${i}` }));
    writing.value = { done: 0, of: files.length };
    try {
      const name = `${openSong.document.title} - version ${now.version}`;
      const into = await writeIntoFolder(folder, name, files, stopping.signal, (done) => {
        writing.value = { done, of: files.length };
      });
      notices.say(`${many(files.length, 'file')} now in ${into}.`, 'plain');
      return true;
    } catch (error) {
      trouble.value = `${wordsOf(error)} Version ${now.version} is remembered: write it again from the list.`;
      return false;
    } finally {
      writing.value = null;
      stopWriting = null;
    }
  }
  const stop = (): void => {
    if (stopWriting) stopWriting.abort();
    else forget();
  };

  watch(() => song.id, forget);
  return { run, writing, busy, trouble, make, ended, again, forget, stop, saveZip, chooseFolder, saveFolder };
});
