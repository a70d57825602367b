<script setup lang="ts">
import { computed, ref } from 'vue';
import { lengthenNotes, placeStarts, changeVelocities } from '~~/core/editing/notes';
import { lengthWords, placeWords, readKey, readPlace, UNITS, type Unit } from '~~/core/editing/rows';
import { keyName } from '~~/core/performance/messages';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { TickRange, Ticks } from '~~/core/time/units';
import type { EditKind } from '~~/core/takes/edits';
import { useOpenSong } from '~/song/openSong';
import { useNotices } from '~/notices/notices';
import { vHint } from '~/controls/hint';
import HandActs from './HandActs.vue';
import SelectMenu from './SelectMenu.vue';
import { useTidy } from './tidy';

/** Figures of the selected notes, edited in place, and buttons that give them back as played. */
const props = defineProps<{ range: TickRange }>();
const tidy = useTidy();
const openSong = useOpenSong();
const notices = useNotices();

const unit = ref<Unit>('bars');
const units = [
  { value: UNITS[0], title: 'Bars and ticks' },
  { value: UNITS[1], title: 'Milliseconds' },
];
const notes = computed(() => tidy.selection);
const none = computed(() => notes.value.length === 0);
const count = computed(() => {
  const n = notes.value.length;
  if (n === 0) return 'Nothing selected. Click a note, or draw a frame round several.';
  if (n > 1) return `${n} notes selected.`;
  const { played, key, start, fixed, made } = notes.value[0]!;
  if (made) return 'One note selected. It was added by hand.';
  const was = fixed || played.key !== key ? ` Played as ${keyName(played.key)} at ${words(played.start)}.` : '';
  const moved = Math.abs(played.start - start) > 0.01 ? ` Played at ${words(played.start)}.` : '';
  return `One note selected.${was || moved}`;
});
const words = (at: Ticks): string => placeWords(at, unit.value, openSong.maps);
/** Value that all selected notes share; empty where they differ. */
function common(of: (n: (typeof notes.value)[number]) => string): string {
  const first = notes.value[0] && of(notes.value[0]);
  return first !== undefined && notes.value.every((n) => of(n) === first) ? first : '';
}
const shown = computed(() => tidy.shown!);
const wrong = (what: string): void => notices.say(`${what} Nothing was changed.`, 'plain');
function typeStart(text: string): void {
  const at = readPlace(text, unit.value, openSong.maps);
  if (at === undefined)
    return wrong(
      unit.value === 'bars'
        ? 'A place is a bar, a beat and ticks, as 17·2·120.'
        : 'A place is a number of milliseconds.',
    );
  const first = Math.min(...notes.value.map((n) => n.start));
  tidy.change(
    'where notes start',
    placeStarts(notes.value, shown.value, (n) => n.start + at - first),
  );
}
function typeKey(text: string): void {
  const key = readKey(text);
  if (key === undefined) return wrong('A key is a name, as E4 or Eb4, or a number from 0 to 127.');
  const first = notes.value[0]!.key;
  tidy.move(notes.value, 0, key - first);
}
function figure(text: string, act: (value: number) => void): void {
  const value = Number(text.trim().replace(',', '.'));
  if (text.trim() === '' || !Number.isFinite(value)) return wrong('Type a number.');
  act(value);
}
const typeVelocity = (text: string) =>
  figure(text, (to) => tidy.change('the velocity', changeVelocities(notes.value, shown.value, { to })));
const typeRelease = (text: string) =>
  figure(text, (release) =>
    tidy.change('the release velocity', changeVelocities(notes.value, shown.value, { release })),
  );
const typeLength = (text: string) =>
  figure(text, (value) => {
    const { tempo } = openSong.maps;
    const { start } = notes.value[0]!;
    const to = unit.value === 'bars' ? value : tickAt(tempo, secondsAt(tempo, start) + value / 1000) - start;
    tidy.change('the length of notes', lengthenNotes(notes.value, shown.value, { to }));
  });

const fields = computed(() => [
  { label: 'Starts', value: common((n) => words(n.start)), type: typeStart },
  { label: 'Length', value: common((n) => lengthWords(n, unit.value, openSong.maps)), type: typeLength },
  { label: 'Key', value: common((n) => keyName(n.key)), type: typeKey },
  { label: 'Velocity', value: common((n) => String(n.velocity)), type: typeVelocity },
  { label: 'Release', value: common((n) => String(n.release)), type: typeRelease },
]);

const BACK: readonly { readonly title: string; readonly kinds: readonly EditKind[] }[] = [
  { title: 'Where they were', kinds: ['place'] },
  { title: 'The keys', kinds: ['pitch'] },
  { title: 'The velocity', kinds: ['touch'] },
  { title: 'What is silent or gone', kinds: ['heard'] },
  { title: 'All of it', kinds: ['place', 'pitch', 'touch', 'heard'] },
];
const held = computed(() => notes.value.filter((n) => n.fixed).length);
</script>

<template>
  <section aria-label="By hand" class="sheet panel">
    <div class="line">
      <SelectMenu :range="props.range" />
      <SmallSelect v-model="unit" :items="units" label="Figures in" />
    </div>
    <p role="status">{{ count }}</p>
    <div v-if="!none" class="figures-grid">
      <label v-for="f in fields" :key="f.label"
        >{{ f.label }}
        <SmallField :model-value="f.value" placeholder="several" :aria-label="f.label" @set="f.type" />
      </label>
    </div>
    <HandActs v-if="!none || tidy.clipboard.length > 0" />
    <div class="line">
      <v-menu>
        <template #activator="{ props: menu }"><v-btn v-bind="menu" size="small">Give back as played</v-btn></template>
        <v-card role="dialog" aria-label="Give back as played"
          ><v-list density="compact">
            <v-list-item
              v-for="b in BACK"
              :key="b.title"
              :title="b.title"
              :subtitle="none ? 'of these bars' : 'of what is selected'"
              @click="tidy.back(b.kinds, range)"
            />
            <v-list-item
              title="The whole part"
              subtitle="every change by hand in its takes"
              @click="tidy.takesBack()"
            /> </v-list
        ></v-card>
      </v-menu>
      <v-btn
        v-if="held > 0"
        size="small"
        v-hint="'A treatment moves them again from where they are'"
        @click="tidy.release()"
        >Give back to the treatment</v-btn
      >
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 10px 12px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
}
p {
  margin: 0;
  font-size: 12.5px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.line .small-select {
  flex: 1;
}
.figures-grid {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 10px;
}
label {
  display: grid;
  grid-template-columns: 48px 1fr;
  align-items: center;
  gap: 4px;
  font-size: 12px;
  color: var(--ink-2);
}
</style>
