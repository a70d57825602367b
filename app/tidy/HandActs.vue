<script setup lang="ts">
import { computed, ref } from 'vue';
import {
  closeGaps,
  endBeforePedal,
  evenVelocities,
  joinNotes,
  lengthenNotes,
  splitNotes,
  toTheNext,
  changeVelocities,
} from '~~/core/editing/notes';
import type { Ticks } from '~~/core/time/units';
import { vHint } from '~/controls/hint';
import { useNotices } from '~/notices/notices';
import { useRoll } from '~/transport/roll';
import { useTidy } from './tidy';

/** Buttons for the selected notes, by kind of change. They show nothing of the notes, and so are drawn once. */
const tidy = useTidy();
const roll = useRoll();
const notices = useNotices();

const louder = (by: number) => tidy.change('the velocity', changeVelocities(tidy.selection, tidy.shown!, { by }));
const scale = (times: number) => tidy.change('the velocity', changeVelocities(tidy.selection, tidy.shown!, { times }));
const longer = (times: number) =>
  tidy.change('the length of notes', lengthenNotes(tidy.selection, tidy.shown!, { times }));
const move = (by: Ticks, keys: number) => tidy.move(tidy.selection, by, keys);
const even = () => tidy.change('the velocity', evenVelocities(tidy.selection, tidy.shown!, 0.5));
const paste = () => tidy.paste(Math.round(roll.playhead));
const gaps: typeof toTheNext = (these, view) => closeGaps(these, view, tidy.step);
const lengths = (make: typeof toTheNext): void => {
  if (!tidy.change('the length of notes', make(tidy.selection, tidy.shown!)))
    notices.say('No note there ends anywhere else than it does.', 'plain');
};
function cut(): void {
  const at = Math.round(roll.playhead);
  const made = splitNotes(tidy.selection, tidy.shown!, at, () => crypto.randomUUID());
  if (!tidy.change('splitting notes', made))
    notices.say('None of these sounds at the playhead. Put it where the notes are to be split.', 'plain');
}
function join(): void {
  if (!tidy.change('joining notes', joinNotes(tidy.selection, tidy.shown!)))
    notices.say('Notes are joined that are on the same key. Select two of them or more.', 'plain');
}
interface Act {
  readonly title: string;
  readonly act: () => unknown;
  readonly hint?: string;
  /** Condition for a button; a selection where nothing is said. */
  readonly needs?: 'two' | 'copied';
}
const PAGES = ['Move', 'Length', 'Velocity', 'Notes'] as const;
const page = ref<(typeof PAGES)[number]>('Move');
const ACTS: Readonly<Record<(typeof PAGES)[number], readonly Act[]>> = {
  Move: [
    { title: 'Earlier', hint: 'A step earlier (Ctrl Left; with Shift one tick)', act: () => move(-tidy.step, 0) },
    { title: 'Later', hint: 'A step later (Ctrl Right; with Shift one tick)', act: () => move(tidy.step, 0) },
    { title: 'Up', hint: 'A semitone up (Ctrl Up; with Shift an octave)', act: () => move(0, 1) },
    { title: 'Down', hint: 'A semitone down (Ctrl Down; with Shift an octave)', act: () => move(0, -1) },
    { title: 'Split', hint: 'In two at the playhead', act: cut },
    { title: 'Join', hint: 'Notes of one key become one', act: join, needs: 'two' },
  ],
  Length: [
    { title: 'To the next', hint: 'Each ends where the next begins', act: () => lengths(toTheNext) },
    { title: 'Close gaps', hint: 'Short gaps before the next note are held over', act: () => lengths(gaps) },
    { title: 'Before the pedal', hint: 'So that the pedal does not catch them', act: () => lengths(endBeforePedal) },
    { title: 'Half', act: () => longer(0.5) },
    { title: 'Twice', act: () => longer(2) },
  ],
  Velocity: [
    { title: 'Softer', hint: '5 softer (-)', act: () => louder(-5) },
    { title: 'Louder', hint: '5 louder (+)', act: () => louder(5) },
    { title: '90%', hint: 'A tenth less', act: () => scale(0.9) },
    { title: '110%', hint: 'A tenth more', act: () => scale(1.1) },
    { title: 'Even', hint: 'Half of the way to their middle', act: even, needs: 'two' },
  ],
  Notes: [
    { title: 'Delete', hint: 'Out of the line; what was played is kept (Delete)', act: () => tidy.remove() },
    { title: 'Silence', hint: 'There, and not heard (0)', act: () => tidy.silence() },
    { title: 'Copy', hint: 'Ctrl C', act: tidy.copy },
    { title: 'Cut', hint: 'Ctrl X', act: tidy.cut },
    { title: 'Paste', hint: 'At the playhead (Ctrl V)', act: paste, needs: 'copied' },
    { title: 'Repeat', hint: 'Repeat it after itself (Ctrl D)', act: () => tidy.repeat() },
  ],
};
const none = computed(() => tidy.selection.length === 0);
const fewer = computed(() => tidy.selection.length < 2);
const uncopied = computed(() => tidy.clipboard.length === 0);
function isOff({ needs }: Act): boolean {
  if (needs === 'two') return fewer.value;
  return needs === 'copied' ? uncopied.value : none.value;
}
</script>

<template>
  <PageTabs v-model="page" label="Changes by hand" :pages="PAGES" />
  <div class="choices">
    <v-btn
      v-for="a in ACTS[page]"
      :key="a.title"
      size="x-small"
      :disabled="isOff(a)"
      v-hint="a.hint ?? a.title"
      @click="a.act"
      >{{ a.title }}</v-btn
    >
  </div>
</template>

<style scoped>
.choices {
  gap: 4px;
}
</style>
