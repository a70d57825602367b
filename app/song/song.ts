import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import { change, isLap, kindOf, nameOf, undoLabel, type Command } from '~~/core/song/changes';
import { afterRow, NO_HISTORY, patched, type HistoryRow, type Stacks } from '~~/core/song/history';
import { ask, type OpenedSong, type Steps } from '~/api/api';
import { useSync } from '~/sync/sync';
import { useNotices } from '~/notices/notices';
import type { QueuedRequest } from '~/sync/store';

/** Number of undo steps in memory below which older ones are requested. */
const STEPS_AT_HAND = 5;

/** The open song's document, with its commands and its history. */
export const useSong = defineStore('song', () => {
  const sync = useSync();
  const notices = useNotices();
  const id = ref<string | null>(null);
  const job = ref('');
  const jobId = ref<string | null>(null);
  const document = shallowRef<SongDocument | null>(null);
  const revision = ref(0);
  /** The id of the change that made this revision, where it is known. */
  const lastChange = ref<string | null>(null);
  const stacks = shallowRef<Stacks>(NO_HISTORY);
  /** Number of undo steps that the server has before those in memory. */
  let older = 0;
  const undoWords = computed(() => {
    const last = stacks.value.done.at(-1);
    return last && undoLabel(last.name);
  });

  /** Replaces the document by another song, or by the server's newer version of this one. */
  function show(opened: Omit<OpenedSong, 'layers' | 'recordings'>): void {
    id.value = opened.id;
    job.value = opened.job;
    jobId.value = opened.jobId;
    // The server has parsed it by the schema, so settings that an older version lacked have their defaults.
    document.value = opened.document;
    revision.value = opened.revision;
    lastChange.value = opened.lastChange;
    stacks.value = opened.stacks;
    older = opened.older;
    oldest = opened.stacks.done[0]?.revision ?? opened.revision + 1;
    owed = 0;
    shown += 1;
    void fetchOlder();
  }

  /** Number of the change that is the oldest undo step in memory, also after it was undone. */
  let oldest = 0;
  /** Number of undo requests that wait for older steps to arrive. */
  let owed = 0;
  /** Counter that goes up whenever a song is shown, so that an answer for the song before is ignored. */
  let shown = 0;
  let fetching = false;
  /** Requests older undo steps before those in memory run out. */
  async function fetchOlder(): Promise<void> {
    if (older === 0 || fetching || stacks.value.done.length >= STEPS_AT_HAND) return;
    fetching = true;
    const asked = shown;
    const path = `/api/songs/${encodeURIComponent(id.value!)}/steps?before=${oldest}`;
    const steps = await ask<Steps>(path).catch(() => null);
    fetching = false;
    if (asked !== shown) return fetchOlder();
    if (!steps) {
      if (owed > 0)
        notices.say('The steps before this could not be read from the server. Undo once more when it is back.');
      owed = 0;
      return;
    }
    stacks.value = { done: [...steps.rows, ...stacks.value.done], undone: stacks.value.undone };
    older = steps.older;
    oldest = steps.rows[0]?.revision ?? oldest;
    for (; owed > 0 && stacks.value.done.length > 0; owed -= 1) undo();
    return fetchOlder();
  }

  /** Adds a row to the history. */
  function add(row: HistoryRow): void {
    revision.value = row.revision;
    lastChange.value = row.id;
    stacks.value = afterRow(stacks.value, row);
    void fetchOlder();
  }

  /**
   * Makes the waiting changes of an earlier visit again on the server's song. They are recognized by the change that
   * they were made on, as revision numbers can be equal by chance; some may be in the song already.
   */
  function catchUp(waiting: readonly QueuedRequest[]): void {
    for (const { path, body } of waiting) {
      const row = body as HistoryRow & { base: number; after: string | null };
      if (!document.value || !path.endsWith('/changes')) continue;
      const elsewhere = row.after !== null && lastChange.value !== null && row.after !== lastChange.value;
      if (row.base !== revision.value || elsewhere) continue;
      document.value = patched(document.value, row.patches);
      add({ ...row, revision: revision.value + 1 });
    }
  }

  type Row = Omit<HistoryRow, 'revision' | 'id'>;

  /** Enters a change into the document and the history, and queues it for the server. */
  function enter(next: SongDocument, { kind, name, patches, inverse }: Row, command?: Command): void {
    const base = revision.value;
    const row = { id: crypto.randomUUID(), kind, name, patches, inverse };
    const after = lastChange.value;
    document.value = next;
    add({ revision: base + 1, ...row });
    const songId = id.value!;
    void sync.enqueue({
      songId,
      method: 'POST',
      path: `/api/songs/${encodeURIComponent(songId)}/changes`,
      body: { base, after, ...row },
      ...(command ? { command } : {}),
    });
  }

  /** Runs a command on the song and queues the change. A command that changes nothing leaves no history row. */
  function run(given: Command): void {
    if (!document.value) return;
    // Values from a screen may be reactive proxies; the song and the browser's storage take plain values only.
    const command = JSON.parse(JSON.stringify(given)) as Command;
    const { document: next, patches, inverse } = change(document.value, command);
    if (patches.length === 0) return;
    enter(next, { kind: kindOf(command), name: nameOf(command), patches, inverse }, command);
  }

  /**
   * Undoes a step; while older steps are loading, the undo is done on their arrival.
   * @returns false where there is nothing to undo
   */
  function undo(): boolean {
    const row = stacks.value.done.at(-1);
    if (!document.value) return false;
    if (!row) {
      if (older === 0) return false;
      owed += 1;
      void fetchOlder();
      return true;
    }
    const { name, patches, inverse } = row;
    enter(patched(document.value, inverse), { kind: 'undo', name, patches: inverse, inverse: patches });
    return true;
  }

  /** Takes back all laps of the last recorded pass; where the last change was something else, that change. */
  function undoPass(): boolean {
    const name = stacks.value.done.at(-1)?.name;
    if (!undo()) return false;
    while (name && isLap(name) && stacks.value.done.at(-1)?.name === name) undo();
    return true;
  }

  /** @returns false when there is nothing to redo */
  function redo(): boolean {
    const row = stacks.value.undone.at(-1);
    if (!row || !document.value) return false;
    const { name, patches, inverse } = row;
    enter(patched(document.value, patches), { kind: 'redo', name, patches, inverse });
    return true;
  }

  return { id, job, jobId, document, revision, stacks, undoWords, show, catchUp, run, undo, undoPass, redo };
});
