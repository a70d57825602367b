<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref, watch } from 'vue';
import { mendsIn, takeMends, MEND_KINDS, type Mend, type MendKind } from '~~/core/editing/mends';
import { meterAt } from '~~/core/time/meter';
import type { TickRange } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useSession } from '~/transport/session';
import { useRollView } from './rollView';
import { useTidy } from './tidy';

/** List of frequent faults, each of which can be heard, repaired or left. */
const props = defineProps<{ range: TickRange }>();
/** Notes of the shown repair, which the roll marks. */
const marked = defineModel<ReadonlySet<string>>('marked', { required: true });
const tidy = useTidy();
const openSong = useOpenSong();
const session = useSession();
const view = useRollView();

const WORDS: Readonly<Record<MendKind, { readonly title: string; readonly does: string }>> = {
  short: { title: 'Too short to be meant', does: 'Take them out' },
  doubled: { title: 'Doubled notes', does: 'Keep one of each' },
  brushed: { title: 'Brushed neighbours', does: 'Take them out' },
  hanging: { title: 'Hanging over the change', does: 'End them there' },
  blurred: { title: 'Pedal over the change', does: 'Change the pedal' },
};
/** Faults that the player left, until another part is shown. */
const left = ref<ReadonlySet<string>>(new Set());
const at = ref<string | null>(null);

const mends = computed(() =>
  tidy.shown ? mendsIn(tidy.shown, props.range, openSong.maps).filter((m) => !left.value.has(m.id)) : [],
);
const groups = computed(() =>
  MEND_KINDS.map((kind) => ({ kind, all: mends.value.filter((m) => m.kind === kind) })).filter((g) => g.all.length > 0),
);
const shown = computed(() => mends.value.find((m) => m.id === at.value) ?? null);
watch(shown, (mend) => {
  marked.value = new Set(mend?.notes ?? []);
});
watch(
  () => tidy.part?.id,
  () => {
    left.value = new Set();
    at.value = null;
  },
);
function look(mend: Mend): void {
  at.value = mend.id;
  view.turnTo(mend.at);
  session.seek(Math.max(0, mend.at));
}
function preview(all: readonly Mend[]): void {
  marked.value = new Set(all.flatMap((m) => m.notes));
}
function hear(mend: Mend): void {
  const { meter } = openSong.maps;
  session.seek(Math.max(0, mend.at - meterAt(meter, mend.at).ticksPerBeat * 2));
  void session.playFromHere();
}
function step(by: number): void {
  const all = mends.value;
  if (all.length === 0) return;
  const here = all.findIndex((m) => m.id === at.value);
  look(all[(here + by + all.length) % all.length]!);
}
function take(all: readonly Mend[]): void {
  if (!tidy.part || !tidy.shown) return;
  const next = mends.value[mends.value.indexOf(all.at(-1)!) + 1];
  tidy.change(
    `mending ${all.length === 1 ? 'one place' : `${all.length} places`}`,
    takeMends(all, tidy.part, tidy.shown),
  );
  marked.value = new Set();
  at.value = all.length === 1 ? (next?.id ?? null) : null;
}
function leave(all: readonly Mend[]): void {
  const next = mends.value[mends.value.indexOf(all.at(-1)!) + 1];
  left.value = new Set([...left.value, ...all.map((m) => m.id)]);
  marked.value = new Set();
  at.value = next?.id ?? null;
}
</script>

<template>
  <section aria-label="Quick mends" class="sheet panel">
    <p v-if="mends.length === 0" class="quiet">
      Nothing here looks like a slip: no note twice, none brushed or too short, nothing hanging over a chord change.
    </p>
    <template v-else>
      <div class="line">
        <b>{{ many(mends.length, 'place') }}</b>
        <v-btn size="x-small" @click="step(-1)">Before</v-btn>
        <v-btn size="x-small" @click="step(1)">Next</v-btn>
      </div>
      <div v-if="shown" class="shown" role="status">
        <p>{{ shown.words[0]!.toUpperCase() + shown.words.slice(1) }}.</p>
        <div class="choices">
          <v-btn size="x-small" @click="hear(shown)">Hear</v-btn>
          <v-btn size="x-small" @click="take([shown])">Mend</v-btn>
          <v-btn size="x-small" @click="leave([shown])">Leave</v-btn>
        </div>
      </div>
    </template>
    <div v-for="g in groups" :key="g.kind" class="group">
      <div class="line">
        <span class="label">{{ WORDS[g.kind].title }}</span>
        <span class="quiet figures">{{ g.all.length }}</span>
      </div>
      <div class="choices">
        <v-btn
          size="x-small"
          @mouseenter="preview(g.all)"
          @focus="preview(g.all)"
          @mouseleave="preview(shown ? [shown] : [])"
          @blur="preview(shown ? [shown] : [])"
          @click="take(g.all)"
          >{{ WORDS[g.kind].does }} ({{ g.all.length }})</v-btn
        >
        <v-btn size="x-small" @click="leave(g.all)">Leave</v-btn>
      </div>
      <ul>
        <li v-for="m in g.all.slice(0, 40)" :key="m.id">
          <button :class="{ on: m.id === at }" :aria-current="m.id === at" @click="look(m)">{{ m.words }}</button>
        </li>
        <li v-if="g.all.length > 40" class="quiet">and {{ g.all.length - 40 }} more</li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
p {
  margin: 0 0 4px;
  font-size: 12.5px;
}
.line {
  display: flex;
  gap: 6px;
  align-items: center;
}
.line > :first-child {
  flex: 1;
}
.shown {
  border: 1px solid var(--copper);
  border-radius: 8px;
  padding: 6px 8px;
}
ul {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}
li button {
  text-align: left;
  font-size: 12.5px;
  padding: 1px 4px;
  width: 100%;
}
li .on {
  background: var(--copper-soft);
  border-radius: 4px;
}
</style>
