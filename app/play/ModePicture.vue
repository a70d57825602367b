<script setup lang="ts">
import { computed } from 'vue';
import type { LapPolicy, Mode } from '~~/core/vocabulary/modes';

/** Picture of a recording mode and its effect on existing notes: outlines are existing, filled ones new. */
const props = defineProps<{ way: Mode | LapPolicy }>();

/** Note of the picture: its beat, its height, whose it is, and whether it is heard after the pass. */
interface Drawn {
  readonly at: number;
  readonly y: number;
  readonly kind: 'old' | 'own';
  readonly heard: boolean;
}
type Kept = (at: number) => boolean;
const ALL: Kept = () => true;
const NONE: Kept = () => false;
/** Existing notes, by beat; and new ones, from beat 3 with a rest at 5, or in each of two laps. */
const THERE = [0, 1, 2, 3, 4, 5, 6, 7];
const PLAYED = [2, 3, 6, 7];

interface Picture {
  readonly there: Kept;
  /** Laps, each with whether it is heard afterwards. */
  readonly laps: readonly boolean[];
}
const PICTURES: Readonly<Record<Mode | LapPolicy, Picture>> = {
  'new take': { there: NONE, laps: [true] },
  merge: { there: ALL, laps: [true] },
  replace: { there: NONE, laps: [true] },
  'replace while I play': { there: (at) => !PLAYED.includes(at), laps: [true] },
  'replace from my first note': { there: (at) => at < PLAYED[0]!, laps: [true] },
  'a new take each': { there: NONE, laps: [false, true] },
  'build up': { there: ALL, laps: [true, true] },
  'fresh, then build up': { there: NONE, laps: [true, true] },
  'play to overwrite': { there: NONE, laps: [false, true] },
  'keep the last full lap': { there: NONE, laps: [false, true] },
  'a layer each': { there: ALL, laps: [true, true] },
};

const notes = computed((): readonly Drawn[] => {
  const { there, laps } = PICTURES[props.way];
  return [
    ...THERE.map((at) => ({ at, y: 18 - 2 * (at % 3), kind: 'old', heard: there(at) }) as const),
    ...laps.flatMap((heard, lap) =>
      PLAYED.map((at) => ({ at, y: 12 - 6 * lap - 2 * (at % 2), kind: 'own', heard }) as const),
    ),
  ];
});
</script>

<template>
  <svg class="picture" viewBox="0 0 98 26" width="98" height="26" aria-hidden="true">
    <rect
      v-for="(n, i) in notes"
      :key="i"
      :class="[n.kind, { gone: !n.heard }]"
      :x="1 + n.at * 12"
      :y="n.y"
      width="9"
      height="3"
    />
  </svg>
</template>

<style scoped>
.old {
  fill: var(--sheet);
  stroke: var(--ink-2);
}
.own {
  fill: var(--copper);
}
.gone {
  opacity: 0.22;
}
</style>
