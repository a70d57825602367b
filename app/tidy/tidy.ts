import { many } from '~~/core/vocabulary/many';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { addNotes, giveBack, letGo, moveNotes, removeNotes, silenceNotes, type TakeEdits } from '~~/core/editing/notes';
import { pasteNotes } from '~~/core/editing/ranges';
import { shownOf } from '~~/core/editing/editedView';
import { countsIn, drawnIn, handWords } from '~~/core/editing/words';
import { auditioned } from '~~/core/picking/audition';
import { barAt, barStart, meterAt } from '~~/core/time/meter';
import type { Milliseconds, TickRange, Ticks } from '~~/core/time/units';
import { gridStep, nearestGridPoint, type Grid } from '~~/core/timing/grid';
import type { Treatment } from '~~/core/timing/treatments';
import type { TreatedNote, TreatedReading } from '~~/core/timing/treatment';
import type { EditKind } from '~~/core/takes/edits';
import { MOST_ADDED } from '~~/core/takes/schema';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useRoll } from '~/transport/roll';

export type Snap = 'bar' | 'beat' | 'grid' | 'tick' | 'free';
export const TOOLS = ['point', 'draw', 'cut'] as const;
export type Tool = (typeof TOOLS)[number];

const ONSETS_APART: Milliseconds = 90;

const newId = (): string => crypto.randomUUID();

/** Editing by hand: the shown part's notes, the selection, and the changes. */
export const useTidy = defineStore('tidy', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const notices = useNotices();
  const roll = useRoll();
  const sound = useSound();

  /** Shown part; while two takes are compared, with one of them as its line. */
  const part = computed(() => {
    const p = reading.shown;
    const asked = reading.compared;
    if (!p || asked?.part !== p.id) return p;
    return auditioned(p, { takeId: asked.take, range: null });
  });
  const isCompared = computed(() => part.value !== undefined && part.value !== reading.shown);
  /** Treatments that are being set, instead of the part's own. */
  const trying = shallowRef<{ readonly treatments: readonly Treatment[]; readonly line: TreatedReading } | null>(null);
  const treatments = computed(() =>
    isCompared.value ? [] : (trying.value?.treatments ?? part.value?.treatments ?? []),
  );
  /** The line that is heard has been read already. */
  const known = computed(() =>
    isCompared.value ? undefined : (trying.value?.line ?? reading.lines.get(part.value?.id ?? '')),
  );
  const shown = computed(() =>
    part.value ? shownOf(part.value, reading.reader, openSong.maps, treatments.value, known.value) : null,
  );
  const notes = computed((): readonly TreatedNote[] => shown.value?.line.notes ?? []);
  /** All notes in time order, with those that are silenced. */
  const all = computed((): readonly TreatedNote[] => {
    const silent = shown.value?.silent ?? [];
    return silent.length > 0
      ? [...notes.value, ...silent].sort((a, b) => a.start - b.start || a.key - b.key)
      : notes.value;
  });

  const chosen = shallowRef<ReadonlySet<string>>(new Set());
  const cursor = ref<string | null>(null);
  // A reactive value read in a loop would be tracked for each of ten thousand notes.
  const selection = computed(() => {
    const ids = chosen.value;
    return ids.size ? all.value.filter((n) => ids.has(n.id)) : [];
  });
  const atCursor = computed(() => {
    const id = cursor.value;
    return id === null ? null : (all.value.find((n) => n.id === id) ?? null);
  });
  function choose(these: Iterable<Pick<TreatedNote, 'id'>>, way: 'only' | 'more' | 'less' = 'only'): void {
    const ids = [...these].map((n) => n.id);
    const set = new Set(way === 'only' ? [] : chosen.value);
    for (const id of ids)
      if (way === 'less') set.delete(id);
      else set.add(id);
    chosen.value = set;
    if (way !== 'less' && ids.length > 0) cursor.value = ids.at(-1)!;
  }
  watch(
    () => part.value?.id,
    () => choose([]),
  );

  const snap = ref<Snap>('grid');
  const grid = ref<Grid>('16 straight');
  const tool = ref<Tool>('point');
  /** Length of one nudge. */
  const step = computed((): Ticks => {
    const { meter } = openSong.maps;
    const at = meterAt(meter, roll.playhead);
    return { bar: at.ticksPerBar, beat: at.ticksPerBeat, grid: gridStep(grid.value), tick: 1, free: 1 }[snap.value];
  });
  /** Place that a tick snaps to. */
  function snapped(at: Ticks): Ticks {
    const { meter } = openSong.maps;
    if (snap.value === 'free' || snap.value === 'tick') return Math.round(at);
    if (snap.value === 'grid') return Math.round(nearestGridPoint(grid.value, meter, at));
    const bar = barAt(meter, at);
    const start = barStart(meter, bar);
    const size = snap.value === 'bar' ? barStart(meter, bar + 1) - start : meterAt(meter, at).ticksPerBeat;
    return start + Math.round((at - start) / size) * size;
  }

  /** Makes a change by hand as one step of undo. @returns false where nothing changes */
  function change(what: string, takes: readonly TakeEdits[]): boolean {
    if (!part.value || takes.length === 0) return false;
    const merged = new Map<string, TakeEdits['edits'][number][]>();
    for (const { take, edits } of takes) merged.set(take, [...(merged.get(take) ?? []), ...edits]);
    song.run({
      ...{ type: 'edit takes', part: part.value.id, what },
      takes: [...merged].map(([take, edits]) => ({ take, edits })),
    });
    return true;
  }

  function move(these: readonly TreatedNote[], by: Ticks, keys: number): void {
    if (!shown.value || (by === 0 && keys === 0) || these.length === 0) return;
    const moved = moveNotes(these, shown.value, by, keys, newId);
    if (!change(`moving ${many(these.length, 'note')}`, moved.takes)) return;
    if (moved.renamed.size > 0) chosen.value = new Set([...chosen.value].map((id) => moved.renamed.get(id) ?? id));
    if (moved.lost > 0)
      notices.say(`${many(moved.lost, 'note')} now lie where no take is picked, and are not heard there.`, 'plain');
  }
  function remove(these: readonly TreatedNote[] = selection.value): void {
    if (!shown.value || these.length === 0) return;
    change(`deleting ${many(these.length, 'note')}`, removeNotes(these, shown.value));
    choose([]);
  }
  /** Silences notes; where all are silent, sounds them again. */
  function silence(these: readonly TreatedNote[] = selection.value): void {
    if (!shown.value || these.length === 0) return;
    const silent = new Set(shown.value.silent.map((n) => n.id));
    const on = these.some((n) => !silent.has(n.id));
    change(`${on ? 'silencing' : 'sounding'} ${many(these.length, 'note')}`, silenceNotes(these, shown.value, on));
  }
  function release(these: readonly TreatedNote[] = selection.value): void {
    if (shown.value) change(`giving ${many(these.length, 'note')} back to the treatment`, letGo(these, shown.value));
  }
  /**
   * Gives notes back as played, by kind of edit: the selection, or everything shown with the notes that were deleted in
   * the range.
   */
  function back(kinds: readonly EditKind[], range: TickRange): void {
    const view = shown.value;
    if (!view) return;
    const inside = (n: { readonly start: Ticks }) => n.start >= range.from && n.start < range.to;
    const these = chosen.value.size > 0 ? selection.value : all.value.filter(inside);
    const gone = kinds.includes('heard') && chosen.value.size === 0 ? view.removed.filter(inside) : [];
    const silent = new Set(view.silent);
    const changed = these.filter(
      (n) =>
        n.made ||
        n.fixed ||
        n.played.key !== n.key ||
        n.played.velocity !== (view.before(n.id) ?? n).velocity ||
        n.played.release !== n.release ||
        silent.has(n),
    );
    if (!change('giving notes back as they were played', giveBack([...changed, ...gone], view, kinds)))
      notices.say('Nothing there was changed by hand.', 'plain');
  }
  function takesBack(): void {
    const p = reading.shown;
    const takes = p?.takes.filter((t) => t.edits.length > 0).map((t) => t.id) ?? [];
    if (p && takes.length > 0) song.run({ type: 'give takes back', part: p.id, takes });
    else notices.say('Nothing of this part was changed by hand.', 'plain');
  }
  /** Adds a note to the take that is heard there. */
  function draw(note: { start: Ticks; end: Ticks; key: number; velocity: number }): void {
    const take = shown.value?.heardAt(note.start);
    if (!take) {
      notices.say('No take is picked there, so there is none to add a note to. Pick one on Pick first.', 'plain');
      return;
    }
    const id = newId();
    change('adding a note', addNotes(take, id, [{ ...note, release: 64 }]));
    choose([{ id: `${id}:0` }]);
  }

  const clipboard = shallowRef<readonly TreatedNote[]>([]);
  function copy(): void {
    if (selection.value.length === 0) return;
    clipboard.value = selection.value;
    notices.say(`${many(selection.value.length, 'note')} copied.`, 'plain');
  }
  function cut(): void {
    const these = selection.value;
    if (these.length === 0) return;
    clipboard.value = these;
    remove(these);
  }
  const startOf = (these: readonly TreatedNote[]): Ticks =>
    these.reduce((first, n) => Math.min(first, n.start), Infinity);
  /** Pastes the copied notes, the first one at a place. */
  function paste(at: Ticks): void {
    const p = part.value;
    const copied = clipboard.value;
    if (!p || !song.document || copied.length === 0) return;
    const by = at - startOf(copied);
    const placed = copied.map((n) => ({ ...n, fixed: 'both' as const, start: n.start + by, end: n.end + by }));
    const what = `pasting ${many(placed.length, 'note')}`;
    if (isCompared.value) {
      // A take that is shown alone need not be heard: notes are pasted into it, not into the line.
      if (placed.length > MOST_ADDED)
        return notices.say(`A take by itself takes in ${MOST_ADDED} notes at once. Nothing was pasted.`, 'plain');
      const id = newId();
      change(what, addNotes(p.comp[0]!.takeId, id, placed));
      choose(placed.map((_, i) => ({ id: `${id}:${i}` })));
      return;
    }
    const startedAt = new Date().toISOString();
    const made = pasteNotes(placed, p, song.document, openSong.maps, { newId, at: startedAt });
    layers.store(made.layers.map((layer) => ({ layer, mode: 'merge' })));
    song.run({
      ...{ type: 'paste notes', part: p.id, what, at: startedAt, takes: [] },
      layers: made.layers.map((l, i) => ({ header: l.header, range: made.ranges[i]! })),
      edits: [...made.edits],
    });
    choose(
      made.layers.flatMap((l) =>
        l.events.filter((e) => e.message.type === 'noteOn').map((_, i) => ({ id: `${l.header.id}:${i}` })),
      ),
    );
  }
  /** Repeats the selection after itself, from the next step. */
  function repeat(): void {
    const these = selection.value;
    if (these.length === 0) return;
    clipboard.value = these;
    const first = startOf(these);
    const span = these.reduce((last, n) => Math.max(last, n.end), first) - first;
    paste(first + Math.max(step.value, Math.ceil(span / step.value - 1e-6) * step.value));
  }

  let struckAt = -Infinity;
  /** Sounds a key; of keys passed in quick succession not every one. */
  function soundNote(note: Pick<TreatedNote, 'key' | 'velocity'>): void {
    const now = performance.now();
    if (!part.value || now - struckAt < ONSETS_APART) return;
    struckAt = now;
    void sound.soundNote(part.value.id, note.key, note.velocity);
  }

  /** Words for hand edits in a range. */
  const wordsIn = (range: TickRange): string =>
    shown.value && part.value
      ? handWords(countsIn(shown.value, range), drawnIn(part.value, range), openSong.maps.meter)
      : '';

  return {
    ...{ part, isCompared, trying, treatments, shown, notes, all },
    ...{ chosen, cursor, selection, atCursor, choose },
    ...{ snap, grid, tool, step, snapped },
    ...{ change, move, remove, silence, release, back, takesBack, draw, soundNote, wordsIn },
    ...{ clipboard, copy, cut, paste, repeat },
  };
});
