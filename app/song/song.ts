import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import { change, isLap, kindOf, nameOf, undoLabel, type Command } from '~~/core/song/changes';
import { afterRow, NO_HISTORY, patched, type HistoryRow, type Stacks } from '~~/core/song/history';
import { ask, type OpenedSong, type Steps } from '~/api/api';
import { useSync } from '~/sync/sync';
import { useNotices } from '~/notices/notices';
import type { QueuedRequest } from '~/sync/store';

/** Older steps of undo are asked for when fewer than this are left here. */
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
  /** Number of undo steps that the server has before those here. */
  let older = 0;
  const undoWords = computed(() => {
    const last = stacks.value.done.at(-1);
    return last && undoLabel(last.name);
  });

  /** Another song, or the same as the server now has it. */
  function show(opened: Omit<OpenedSong, 'layers' | 'recordings'>): void {
    id.value = opened.id;
    job.value = opened.job;
    jobId.value = opened.jobId;
    // The server has read it by the schema: what an older version stored has got the settings it did not know.
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

  /** The number of the change that is the oldest step here, or was before it was undone. */
  let oldest = 0;
  /** Undone before the steps that it would take back have come. */
  let owed = 0;
  /** Each time that the song is shown anew, what was asked for before lies before other steps. */
  let shown = 0;
  let fetching = false;
  /** Sees to it that undo does not come to the end of what is here before it comes to the song's beginning. */
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

  /** A row of the history that is made here. */
  function add(row: HistoryRow): void {
    revision.value = row.revision;
    lastChange.value = row.id;
    stacks.value = afterRow(stacks.value, row);
    void fetchOlder();
  }

  /**
   * Changes of an earlier visit that are still on their way to the server: they are made on what it has, as far as they
   * were made on the same (the number alone may be the same by chance). Some of them it may have already.
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

  /** Takes a change into the document and the history here, and sends it to the server in its turn. */
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

  /** Changes the song here at once, and at the server in its turn. A change that changes nothing is none. */
  function run(given: Command): void {
    if (!document.value) return;
    // What a screen hands over may be watched by it; the song and the browser's storage take plain values only.
    const command = JSON.parse(JSON.stringify(given)) as Command;
    const { document: next, patches, inverse } = change(document.value, command);
    if (patches.length === 0) return;
    enter(next, { kind: kindOf(command), name: nameOf(command), patches, inverse }, command);
  }

  /**
   * Undoes a step; asked before the step has come from the server, it is done when that is here. @returns false for
   * nothing
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

  /** Takes back all laps of the pass whose lap was recorded last; of anything else, the last change. */
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
