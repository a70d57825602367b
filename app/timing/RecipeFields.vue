<script setup lang="ts">
import { ref } from 'vue';
import { GRIDS, gridWords, type Grid } from '~~/core/timing/grid';
import { ENDS, LINES, WAYS, type Recipe } from '~~/core/timing/recipe';
import { SWING_OF } from '~~/core/timing/swing';
import type { TickRange } from '~~/core/time/units';
import { changedRecipe, ENDS_WORDS, ROWS, STRENGTHS, swingOf, swingTo, type RecipeChange } from './recipeSettings';

/**
 * Fields of a timing recipe, in the brief and in Tidy. All values are shown; the controls of one setting are open at a
 * time.
 */
const recipe = defineModel<Recipe>({ required: true });
defineProps<{ range: TickRange }>();

const grids = GRIDS.map((value) => ({ value, title: gridWords(value) }));
const seconds = [{ value: '' as Grid | '', title: 'no other' }, ...grids];
const ends = ENDS.map((value) => ({ value, title: ENDS_WORDS[value] }));
const WAY_WORDS = { grid: 'To the grid', steady: 'Steady the hand' } as const;
const LINE_WORDS = { phrase: 'by the phrase', nearest: 'the nearest' } as const;

const open = ref('');
const set = (change: RecipeChange): void => void (recipe.value = changedRecipe(recipe.value, change));
const shownOf = <T extends { readonly isShown?: (recipe: Recipe) => boolean }>(all: readonly T[]): T[] =>
  all.filter(({ isShown }) => isShown?.(recipe.value) ?? true);
/** Takes the next seed, so that a result can be found again. */
const nextSeed = () => set({ loose: { spread: recipe.value.loose!.spread, seed: recipe.value.loose!.seed + 1 } });
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
    <RecipeSliders v-model="recipe" :sliders="shownOf(STRENGTHS)" />
    <div class="rows">
      <SettingRow
        v-for="row in shownOf(ROWS)"
        :key="row.name"
        :label="row.label"
        :value="row.value(recipe)"
        :quiet="row.isQuiet?.(recipe) ?? false"
        :open="open === row.name"
        @update:open="(on: boolean) => (open = on ? row.name : '')"
      >
        <template v-if="row.name === 'grid'">
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
        </template>
        <SmallSelect
          v-if="row.name === 'ends'"
          :model-value="recipe.ends"
          :items="ends"
          label="Note ends"
          @update:model-value="(value: Recipe['ends']) => set({ ends: value })"
        />
        <RecipeSliders v-model="recipe" :sliders="shownOf(row.sliders)" />
        <ChoiceGroup v-if="row.name === 'swing'" label="What is swung">
          <Choice
            v-for="of in SWING_OF"
            :key="of"
            :on="swingOf(recipe).of === of"
            @click="set(swingTo(swingOf(recipe).percent, of))"
            >{{ of === 8 ? 'eighths' : 'sixteenths' }}</Choice
          >
        </ChoiceGroup>
        <p v-if="row.name === 'chord'" class="quiet">
          Notes that ring together and are no further apart move as one, and keep their roll.
        </p>
        <FeelFields
          v-if="row.name === 'feel'"
          :model-value="recipe.feel"
          :grid="recipe.grid"
          :range="range"
          @update:model-value="(feel: Recipe['feel']) => set({ feel })"
        />
        <v-btn v-if="row.name === 'loose' && recipe.loose" size="x-small" @click="nextSeed">Try another</v-btn>
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
