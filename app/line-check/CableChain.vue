<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { mdiCheck, mdiClose } from '@mdi/js';
import { computed, ref } from 'vue';
import { MEND_WORDS } from '~~/core/linecheck/chain';
import { useLineCheck } from './lineCheck';
import { vHint } from '~/controls/hint';

/** Chain of checks drawn as a cable: whole, or broken at the first failed link, with the button that repairs it. */
const check = useLineCheck();
const card = ref<HTMLElement | null>(null);
const { width } = useElementSize(card);
const STATE_WORDS = { whole: 'whole', broken: 'broken', waiting: 'not known yet' } as const;

const RADIUS = 15;
const MIDDLE = 20;
const SAG = 16;
const step = computed(() => width.value / check.chain.length);
const centre = (i: number) => (i + 0.5) * step.value;
interface Ends {
  readonly from: number;
  readonly to: number;
  readonly middle: number;
}
/** Path of a whole cable, which sags a little. */
function slack({ from, to, middle }: Ends): string {
  const low = MIDDLE + SAG;
  return `M${from} ${MIDDLE} C${middle - 8} ${low} ${middle + 8} ${low} ${to} ${MIDDLE}`;
}
/** Path of a broken cable, which hangs down from both links. */
function hanging({ from, to, middle }: Ends): string {
  const low = MIDDLE + SAG;
  const left = `M${from} ${MIDDLE} C${from + 16} ${MIDDLE} ${middle - 14} ${low} ${middle - 7} ${low + 6}`;
  const right = `M${to} ${MIDDLE} C${to - 14} ${MIDDLE} ${middle + 14} ${low} ${middle + 8} ${low + 10}`;
  return `${left} ${right}`;
}
function kindOf(open: boolean, unsure: boolean): 'open' | 'unsure' | 'sound' {
  if (open) return 'open';
  return unsure ? 'unsure' : 'sound';
}
/** Cable between each two links; before the first failed link it hangs in two pieces. */
const cables = computed(() =>
  check.chain.slice(1).map((link, i) => {
    const [from, to] = [centre(i) + RADIUS, centre(i + 1) - RADIUS];
    const middle = (from + to) / 2;
    const open = check.trouble?.state === 'broken' && check.trouble.id === link.id;
    const after = check.trouble?.state === 'broken' && i + 1 > check.chain.findIndex((l) => l.id === check.trouble!.id);
    const ends: Ends = { from, to, middle };
    return {
      id: link.id,
      path: open ? hanging(ends) : slack(ends),
      kind: kindOf(open, after || link.state === 'waiting'),
    };
  }),
);
/** Loose end at the left edge, where the first link has failed. */
const loose = computed(() => {
  const to = centre(0) - RADIUS;
  return `M0 ${MIDDLE + 8} C${centre(0) / 3} ${MIDDLE + SAG} ${centre(0) / 2} ${MIDDLE} ${to} ${MIDDLE}`;
});
const first = computed(() => check.trouble?.state === 'broken' && check.trouble.id === check.chain[0]!.id);
</script>

<template>
  <div ref="card" class="sheet cable-card">
    <svg v-if="width > 0" class="cable" :width="width" height="56" aria-hidden="true">
      <path v-if="!first" :d="loose" class="wire sound" />
      <path v-for="cable in cables" :key="cable.id" :d="cable.path" class="wire" :class="cable.kind" />
      <g
        v-for="(link, i) in check.chain"
        :key="link.id"
        :transform="`translate(${centre(i)} ${MIDDLE})`"
        :class="link.state"
      >
        <circle :r="RADIUS" class="plug" />
        <path
          v-if="link.state !== 'waiting'"
          :d="link.state === 'whole' ? mdiCheck : mdiClose"
          transform="translate(-10 -10) scale(0.84)"
          class="sign"
        />
      </g>
    </svg>
    <ol aria-label="From the keys to the ears">
      <li v-for="link in check.chain" :key="link.id" :class="link.state" :data-link="link.id" v-hint="link.says">
        <span class="names name"
          >{{ link.name }}<span class="for-readers">, {{ STATE_WORDS[link.state] }}</span></span
        >
        <span class="says">{{ link.says }}</span>
        <v-btn
          v-if="link.mend && check.trouble?.id === link.id"
          size="small"
          class="mend"
          @click="check.mend(link.mend)"
          >{{ MEND_WORDS[link.mend] }}</v-btn
        >
      </li>
    </ol>
  </div>
</template>

<style scoped>
.cable-card {
  padding: 12px 0 10px;
  overflow: hidden;
}
.cable {
  display: block;
}
.wire {
  fill: none;
  stroke-width: 4;
  stroke-linecap: round;
  stroke: var(--ink);
}
.wire.unsure {
  stroke: var(--rule);
}
.plug {
  fill: var(--sea);
}
.waiting .plug {
  fill: var(--rule-soft);
}
.broken .plug {
  fill: var(--copper);
}
.sign {
  fill: var(--sheet);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: 1fr;
}
li {
  display: grid;
  justify-items: center;
  align-content: start;
  text-align: center;
  padding: 0 5px;
  gap: 1px;
  min-width: 0;
}
.name {
  font-size: 14px;
}
.says {
  font-size: 11.5px;
  line-height: 1.3;
  color: var(--ink-2);
  max-height: 45px;
  overflow: hidden;
  overflow-wrap: anywhere;
}
.broken .says {
  color: var(--copper-ink);
  font-weight: 600;
}
.mend {
  margin-top: 4px;
  background: var(--sheet);
}
.for-readers {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
