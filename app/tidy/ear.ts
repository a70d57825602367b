import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Doubtful } from '~~/core/timing/doubts';
import { meterAt } from '~~/core/time/meter';
import type { Ticks } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useSession } from '~/transport/session';
import { useRollView } from './rollView';
import { useDoubts } from '~/timing/useDoubts';
import { useTidy } from './tidy';

/** Lead in beats with which a listed note is played. */
const LEAD_BEATS = 3;

/** Notes with an unsure grid line: found, stepped through, heard and decided. */
export const useEar = defineStore('ear', () => {
  const tidy = useTidy();
  const openSong = useOpenSong();
  const song = useSong();
  const session = useSession();
  const view = useRollView();

  const all = useDoubts(() => {
    const { part, shown: view, treatments } = tidy;
    return part && view ? { part, line: view.line, treatments } : null;
  });
  const at = ref<string | null>(null);
  const idOf = (d: Doubtful): string => d.notes[0]!.id;

  const shown = computed(() => all.value.find((d) => idOf(d) === at.value) ?? null);
  const notesOf = (d: Doubtful): readonly string[] => [d, ...d.others].flatMap(({ notes }) => notes.map((n) => n.id));
  const marked = computed(() => new Set(shown.value ? notesOf(shown.value) : []));
  const ids = computed(() => new Set(all.value.flatMap(notesOf)));
  const decisions = computed(() => Object.entries(tidy.part?.decided ?? {}));

  function look(doubtful: Doubtful): void {
    at.value = idOf(doubtful);
    const start = doubtful.notes[0]!.start;
    view.turnTo(start);
    session.seek(Math.max(0, start));
  }
  function step(by: number): void {
    if (all.value.length === 0) return;
    const here = all.value.findIndex((d) => idOf(d) === at.value);
    look(all.value[(here + by + all.value.length) % all.value.length]!);
  }
  function hear(): void {
    const doubtful = shown.value ?? all.value[0];
    if (!doubtful) return;
    at.value = idOf(doubtful);
    const start = doubtful.notes[0]!.start;
    session.seek(Math.max(0, start - meterAt(openSong.maps.meter, start).ticksPerBeat * LEAD_BEATS));
    void session.playFromHere();
  }
  /**
   * Decides on the current place, or the first, and moves to the next. "Good" is said of all its notes, anything else
   * of the note that is named: the others of its beat are read anew with it.
   */
  function decide(to: 'good' | 'before' | 'after' | 'other' | 'played'): void {
    const doubtful = shown.value ?? all.value[0];
    if (!doubtful || !tidy.part) return;
    const lines: Record<typeof to, Ticks | 'played' | null> = {
      ...{ good: doubtful.line, before: doubtful.before, after: doubtful.after },
      ...{ other: doubtful.other, played: 'played' },
    };
    const line = lines[to];
    if (line === null) return;
    const index = all.value.indexOf(doubtful);
    const rest = all.value.filter((d) => d !== doubtful);
    const places = to === 'good' ? [doubtful, ...doubtful.others] : [{ ...doubtful, line }];
    const decisions = places.map((p) => ({ notes: p.notes.map((n) => n.id), line: p.line }));
    song.run({ type: 'decide', part: tidy.part.id, ...decisions[0]!, also: decisions.slice(1) });
    all.value = rest;
    const next = rest[index] ?? rest[0];
    at.value = null;
    if (next) look(next);
  }
  /** Removes decisions on some notes, or on all of the part. */
  function letGo(notes: readonly string[]): void {
    if (tidy.part && notes.length > 0) song.run({ type: 'decide', part: tidy.part.id, notes: [...notes], line: null });
  }

  return { all, at, idOf, shown, marked, ids, decisions, look, step, hear, decide, letGo };
});
