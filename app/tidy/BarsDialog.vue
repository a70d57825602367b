<script setup lang="ts">
import { computed, ref } from 'vue';
import { atHand } from '~~/core/document/part';
import { barAt } from '~~/core/time/meter';
import type { TickRange } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { BAR_ACTS, useBarActs, type BarAct } from '~/song/barActs';

/** Dialog that copies, moves, repeats, swaps or clears bars of one part or all parts. */
const props = defineProps<{ range: TickRange }>();
const emit = defineEmits<{ close: [] }>();
const openSong = useOpenSong();
const reading = useReading();
const ranges = useBarActs();

const { meter } = openSong.maps;
const first = ref(barAt(meter, props.range.from));
const last = ref(barAt(meter, props.range.to - 1));
const act = ref<BarAct>('copy');
const to = ref(Math.min(openSong.document.bars, last.value + 1));
const all = ref(false);
const into = ref<string>(reading.shown?.id ?? '');
const parts = computed(() => atHand(openSong.document.parts));
const targets = computed(() => parts.value.map((p) => ({ value: p.id, title: p.name })));
const TITLES: Readonly<Record<BarAct, string>> = {
  copy: 'Copy',
  move: 'Move',
  repeat: 'Repeat',
  swap: 'Swap',
  clear: 'Clear',
};
const goesElsewhere = computed(() => !all.value && (act.value === 'copy' || act.value === 'move'));
const asked = computed(() => ({
  ...{ act: act.value, first: first.value, last: last.value, to: to.value },
  parts: all.value ? parts.value : parts.value.filter((p) => p.id === reading.shown?.id),
  into: goesElsewhere.value ? (parts.value.find((p) => p.id === into.value) ?? null) : null,
}));
const trouble = computed(() => ranges.trouble(asked.value));
const bars = (a: number, b: number) => (a === b ? `bar ${a}` : `bars ${a}–${b}`);
const sentence = computed(() => {
  const of = all.value ? 'every part' : (reading.shown?.name ?? '');
  const what = `${bars(first.value, last.value)} of ${of}`;
  const many = last.value - first.value;
  const there = bars(to.value, Math.min(openSong.document.bars, to.value + many));
  const other = asked.value.into && asked.value.into.id !== reading.shown?.id ? ` of ${asked.value.into.name}` : '';
  switch (act.value) {
    case 'copy':
      return `${what} will be heard in ${there}${other} as well.`;
    case 'move':
      return `${what} will be heard in ${there}${other}, and no more where they were.`;
    case 'repeat':
      return `${what} will be heard again and again through bar ${to.value}.`;
    case 'swap':
      return `${what} and ${there} change places.`;
    case 'clear':
      return `Nothing of ${of} will be heard in ${bars(first.value, last.value)}.`;
  }
  return '';
});
const whole = (text: string, before: number): number => {
  const value = Number(text);
  return Number.isInteger(value) ? value : before;
};
function go(): void {
  ranges.carryOut(asked.value);
  emit('close');
}
</script>

<template>
  <v-card class="bars">
    <h2>Bars</h2>
    <ChoiceGroup label="What to do with bars">
      <Choice v-for="a in BAR_ACTS" :key="a" :on="act === a" @click="act = a">{{ TITLES[a] }}</Choice>
    </ChoiceGroup>
    <div class="line">
      <span>Bars</span>
      <SmallField :model-value="first" aria-label="First bar" @set="(t) => (first = whole(t, first))" />
      <span>to</span>
      <SmallField :model-value="last" aria-label="Last bar" @set="(t) => (last = whole(t, last))" />
      <ChoiceGroup label="Whose bars">
        <Choice :on="!all" @click="all = false">{{ reading.shown?.name ?? 'this part' }}</Choice>
        <Choice :on="all" @click="all = true">Every part</Choice>
      </ChoiceGroup>
    </div>
    <div v-if="act !== 'clear'" class="line">
      <span>{{ act === 'repeat' ? 'through bar' : act === 'swap' ? 'with those from bar' : 'to bar' }}</span>
      <SmallField :model-value="to" aria-label="To bar" @set="(t) => (to = whole(t, to))" />
      <template v-if="goesElsewhere">
        <span>of</span>
        <SmallSelect v-model="into" :items="targets" label="To part" />
      </template>
    </div>
    <p role="status" :class="trouble ? 'trouble' : ''">
      {{ trouble || sentence[0]?.toUpperCase() + sentence.slice(1) }}
    </p>
    <p class="quiet">
      What is copied becomes a take of its own, picked there. What is heard there now stays as a take, and Undo brings
      it back.
    </p>
    <div class="line end">
      <v-btn variant="text" @click="emit('close')">Cancel</v-btn>
      <v-btn :disabled="trouble !== ''" @click="go">{{ TITLES[act] }}</v-btn>
    </div>
  </v-card>
</template>

<style scoped>
.bars {
  padding: 18px 20px;
  display: grid;
  gap: 12px;
}
h2 {
  font-size: 20px;
  margin: 0;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
.line .small-field {
  flex: 0 0 64px;
}
.line .small-select {
  flex: 0 0 180px;
}
.end {
  justify-content: flex-end;
}
p {
  margin: 0;
}
.trouble {
  color: var(--copper-ink);
  font-weight: 600;
}
</style>
