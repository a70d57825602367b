<script setup lang="ts">
import { computed, ref } from 'vue';
import { GRIDS, gridWords, type Grid } from '~~/core/timing/grid';
import { ENDS, LINES, WAYS, type Recipe, type VelocityRecipe } from '~~/core/timing/recipe';
import { MOST_ALONE, MOST_CHORD, MOST_SPREAD } from '~~/core/timing/schema';
import { MOST_SWING, STRAIGHT, SWING_OF, swingRatio, type SwingOf } from '~~/core/timing/swing';
import { linesWords } from '~~/core/timing/words';
import type { TickRange } from '~~/core/time/units';

/**
 * Fields of a timing recipe, in the brief and in Tidy. All values are shown; the controls of one setting are open at a
 * time.
 */
const recipe = defineModel<Recipe>({ required: true });
defineProps<{ range: TickRange }>();

const grids = GRIDS.map((value) => ({ value, title: gridWords(value) }));
const seconds = [{ value: '' as Grid | '', title: 'no other' }, ...grids];
const ENDS_WORDS: Readonly<Record<(typeof ENDS)[number], string>> = {
  'keep length': 'keep their length',
  'keep end': 'stay where they end',
  'snap length': 'get a length of the grid',
  'snap end': 'end on the grid',
};
const ends = ENDS.map((value) => ({ value, title: ENDS_WORDS[value] }));
const WAY_WORDS = { grid: 'To the grid', steady: 'Steady the hand' } as const;
const LINE_WORDS = { phrase: 'by the phrase', nearest: 'the nearest' } as const;

const open = ref('');
const isOpen = (name: string) => open.value === name;
const opens = (name: string, on: boolean) => (open.value = on ? name : '');

/** Changes some settings. A setting of `undefined` is neutral, and left out of the recipe. */
function set(change: Partial<Recipe>): void {
  const next = { ...recipe.value, ...change };
  recipe.value = Object.fromEntries(Object.entries(next).filter(([, v]) => v !== undefined)) as unknown as Recipe;
}
const percentOf = (share: number): string => `${Math.round(share * 100)}%`;
const steady = computed(() => recipe.value.way === 'steady');
const snaps = computed(() => recipe.value.ends.startsWith('snap'));
const swing = computed(() => recipe.value.swing ?? { percent: STRAIGHT, of: 8 as SwingOf });
const setSwing = (percent: number, of: SwingOf) => set({ swing: percent > STRAIGHT ? { percent, of } : undefined });
const swingWords = computed(() =>
  recipe.value.swing ? `${Math.round(swing.value.percent)}% (${swingRatio(swing.value.percent)})` : 'straight',
);
const offsetWords = (ms: number): string => (ms ? `${Math.abs(ms)} ms ${ms < 0 ? 'earlier' : 'later'}` : 'as it is');
const aloneWords = computed(() => {
  const { within, beyond } = recipe.value;
  const said = [within ? `within ${within} ms` : '', beyond === undefined ? '' : `beyond ${beyond} ms`];
  return said.filter(Boolean).join(', ') || 'nothing';
});
const endWords = computed(() =>
  snaps.value && recipe.value.endStrength !== undefined
    ? `${ENDS_WORDS[recipe.value.ends]}, ${percentOf(recipe.value.endStrength)}`
    : ENDS_WORDS[recipe.value.ends],
);
const velocityWords = computed(() => {
  const { touch } = recipe.value;
  const said = [
    touch?.level !== undefined ? `${percentOf(touch.strength ?? 1)} to ${touch.level}` : '',
    touch?.range !== undefined && touch.range !== 1 ? `range ${percentOf(touch.range)}` : '',
  ];
  return said.filter(Boolean).join(', ') || 'untreated';
});
function setVelocity(change: VelocityRecipe): void {
  const next = { ...recipe.value.touch, ...change };
  const said = Object.fromEntries(
    Object.entries(next).filter(([k, v]) => v !== undefined && !(k === 'range' && v === 1)),
  );
  set({ touch: Object.keys(said).length > 0 ? said : undefined });
}
/** Takes the next seed, so that a result can be found again. */
const throwAgain = () => set({ loose: { spread: recipe.value.loose!.spread, seed: recipe.value.loose!.seed + 1 } });
</script>

<template>
  <div class="fields">
    <ChoiceGroup label="What notes are moved to">
      <Choice
        v-for="w in WAYS"
        :key="w"
        :on="(recipe.way ?? 'grid') === w"
        @click="set({ way: w === 'grid' ? undefined : w })"
        >{{ WAY_WORDS[w] }}</Choice
      >
    </ChoiceGroup>
    <template v-if="steady">
      <SettingSlider
        :model-value="(recipe.drift ?? 1) * 100"
        label="Slow drift taken out"
        :min="0"
        :max="100"
        :words="percentOf(recipe.drift ?? 1)"
        @update:model-value="(p: number) => set({ drift: p / 100 })"
      />
      <SettingSlider
        :model-value="(recipe.small ?? 0) * 100"
        label="Unevenness taken out"
        :min="0"
        :max="100"
        :words="percentOf(recipe.small ?? 0)"
        @update:model-value="(p: number) => set({ small: p > 0 ? p / 100 : undefined })"
      />
    </template>
    <SettingSlider
      v-else
      :model-value="recipe.strength * 100"
      label="Strength"
      :min="0"
      :max="100"
      :words="percentOf(recipe.strength)"
      @update:model-value="(p: number) => set({ strength: p / 100 })"
    />
    <div class="rows">
      <SettingRow
        label="Grid"
        :value="linesWords({ grid: recipe.grid, second: recipe.second, swing: undefined })"
        :open="isOpen('grid')"
        @update:open="(on: boolean) => opens('grid', on)"
      >
        <SmallSelect
          :model-value="recipe.grid"
          :items="grids"
          label="Grid"
          @update:model-value="(grid: Grid) => set({ grid })"
        />
        <SmallSelect
          :model-value="recipe.second ?? ''"
          :items="seconds"
          label="Another grid beside it"
          @update:model-value="(g: Grid | '') => set({ second: g || undefined })"
        />
        <ChoiceGroup label="How a note’s line is found">
          <Choice
            v-for="l in LINES"
            :key="l"
            :on="(recipe.lines ?? 'nearest') === l"
            @click="set({ lines: l === 'phrase' ? l : undefined })"
            >{{ LINE_WORDS[l] }}</Choice
          >
        </ChoiceGroup>
      </SettingRow>
      <SettingRow
        label="Swing"
        :value="swingWords"
        :quiet="!recipe.swing"
        :open="isOpen('swing')"
        @update:open="(on: boolean) => opens('swing', on)"
      >
        <SettingSlider
          :model-value="swing.percent"
          label="Swing"
          :min="STRAIGHT"
          :max="MOST_SWING"
          :step="0.5"
          :words="swingWords"
          @update:model-value="(p: number) => setSwing(p, swing.of)"
        />
        <ChoiceGroup label="What is swung">
          <Choice v-for="of in SWING_OF" :key="of" :on="swing.of === of" @click="setSwing(swing.percent, of)">{{
            of === 8 ? 'eighths' : 'sixteenths'
          }}</Choice>
        </ChoiceGroup>
      </SettingRow>
      <SettingRow
        label="Earlier or later"
        :value="offsetWords(recipe.offset ?? 0)"
        :quiet="!recipe.offset"
        :open="isOpen('offset')"
        @update:open="(on: boolean) => opens('offset', on)"
      >
        <SettingSlider
          :model-value="recipe.offset ?? 0"
          label="Earlier or later as a whole"
          :min="-60"
          :max="60"
          :words="offsetWords(recipe.offset ?? 0)"
          @update:model-value="(ms: number) => set({ offset: ms || undefined })"
        />
      </SettingRow>
      <SettingRow
        v-if="!steady"
        label="Leave alone"
        :value="aloneWords"
        :quiet="aloneWords === 'nothing'"
        :open="isOpen('alone')"
        @update:open="(on: boolean) => opens('alone', on)"
      >
        <SettingSlider
          :model-value="recipe.within ?? 0"
          label="Leave alone within"
          :min="0"
          :max="50"
          :words="recipe.within ? `${recipe.within} ms` : 'nothing'"
          @update:model-value="(ms: number) => set({ within: ms || undefined })"
        />
        <SettingSlider
          :model-value="recipe.beyond ?? MOST_ALONE"
          label="Leave alone beyond"
          :min="10"
          :max="MOST_ALONE"
          :words="recipe.beyond === undefined ? 'nothing' : `${recipe.beyond} ms`"
          @update:model-value="(ms: number) => set({ beyond: ms < MOST_ALONE ? ms : undefined })"
        />
      </SettingRow>
      <SettingRow
        label="Notes"
        :value="endWords"
        :open="isOpen('ends')"
        @update:open="(on: boolean) => opens('ends', on)"
      >
        <SmallSelect
          :model-value="recipe.ends"
          :items="ends"
          label="Note ends"
          @update:model-value="(value: Recipe['ends']) => set({ ends: value })"
        />
        <SettingSlider
          v-if="snaps"
          :model-value="(recipe.endStrength ?? recipe.strength) * 100"
          label="Strength for ends"
          :min="0"
          :max="100"
          :words="recipe.endStrength === undefined ? 'as the starts' : percentOf(recipe.endStrength)"
          @update:model-value="(p: number) => set({ endStrength: p / 100 })"
        />
      </SettingRow>
      <SettingRow
        label="Chords"
        :value="recipe.chord ? `keep their spread, ${recipe.chord} ms` : 'each note by itself'"
        :open="isOpen('chord')"
        @update:open="(on: boolean) => opens('chord', on)"
      >
        <SettingSlider
          :model-value="recipe.chord ?? 0"
          label="Widest gap in a chord"
          :min="0"
          :max="MOST_CHORD"
          :step="5"
          :words="recipe.chord ? `${recipe.chord} ms` : 'none'"
          @update:model-value="(ms: number) => set({ chord: ms || undefined })"
        />
        <p class="quiet">Notes that ring together and are no further apart move as one, and keep their roll.</p>
      </SettingRow>
      <SettingRow
        label="Velocity"
        :value="velocityWords"
        :quiet="!recipe.touch"
        :open="isOpen('touch')"
        @update:open="(on: boolean) => opens('touch', on)"
      >
        <SettingSlider
          :model-value="recipe.touch?.level ?? 64"
          label="Towards a level"
          :min="1"
          :max="127"
          :words="String(recipe.touch?.level ?? 64)"
          @update:model-value="(level: number) => setVelocity({ level, strength: recipe.touch?.strength ?? 0.5 })"
        />
        <SettingSlider
          :model-value="(recipe.touch?.level === undefined ? 0 : (recipe.touch.strength ?? 1)) * 100"
          label="How far"
          :min="0"
          :max="100"
          :words="percentOf(recipe.touch?.level === undefined ? 0 : (recipe.touch.strength ?? 1))"
          @update:model-value="(p: number) => setVelocity({ level: recipe.touch?.level ?? 64, strength: p / 100 })"
        />
        <SettingSlider
          :model-value="(recipe.touch?.range ?? 1) * 100"
          label="Range"
          :min="0"
          :max="200"
          :words="percentOf(recipe.touch?.range ?? 1)"
          @update:model-value="(p: number) => setVelocity({ range: p / 100 })"
        />
      </SettingRow>
      <SettingRow
        label="Feel"
        :value="recipe.feel?.feel.name ?? 'none'"
        :quiet="!recipe.feel"
        :open="isOpen('feel')"
        @update:open="(on: boolean) => opens('feel', on)"
      >
        <FeelFields
          :model-value="recipe.feel"
          :grid="recipe.grid"
          :range="range"
          @update:model-value="(feel: Recipe['feel']) => set({ feel })"
        />
      </SettingRow>
      <SettingRow
        label="Looseness"
        :value="recipe.loose ? `${recipe.loose.spread} ms, no. ${recipe.loose.seed}` : 'not at all'"
        :quiet="!recipe.loose"
        :open="isOpen('loose')"
        @update:open="(on: boolean) => opens('loose', on)"
      >
        <SettingSlider
          :model-value="recipe.loose?.spread ?? 0"
          label="Scattered by"
          :min="0"
          :max="MOST_SPREAD"
          :words="`${recipe.loose?.spread ?? 0} ms`"
          @update:model-value="
            (spread: number) => set({ loose: spread > 0 ? { spread, seed: recipe.loose?.seed ?? 1 } : undefined })
          "
        />
        <v-btn v-if="recipe.loose" size="x-small" @click="throwAgain">Try another</v-btn>
      </SettingRow>
    </div>
  </div>
</template>

<style scoped>
.fields,
.rows {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
.fields {
  gap: 8px;
}
.fields p {
  margin: 0;
  font-size: 12px;
}
</style>
