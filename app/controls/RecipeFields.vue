<script setup lang="ts">
import { computed } from 'vue';
import { GRIDS, gridWords, type Grid } from '~~/core/timing/grid';
import { ENDS, type Recipe } from '~~/core/timing/recipe';

/** The controls of a timing recipe: the same in the brief and in Tidy. */
const recipe = defineModel<Recipe>({ required: true });

const grids = GRIDS.map((value) => ({ value, title: gridWords(value) }));
const ENDS_WORDS: Readonly<Record<(typeof ENDS)[number], string>> = {
  'keep length': 'keep their length',
  'keep end': 'stay where they end',
  'snap length': 'get a length of the grid',
  'snap end': 'end on the grid',
};
const ends = ENDS.map((value) => ({ value, title: ENDS_WORDS[value] }));
const percent = computed({
  get: () => Math.round(recipe.value.strength * 100),
  set: (value: number) => {
    recipe.value = { ...recipe.value, strength: value / 100 };
  },
});
</script>

<template>
  <div class="fields">
    <v-select
      :model-value="recipe.grid"
      :items="grids"
      label="Grid"
      @update:model-value="(grid: Grid) => (recipe = { ...recipe, grid })"
    />
    <div>
      <div class="row">
        <span id="strength-label">Strength</span><b class="figures">{{ percent }}%</b>
      </div>
      <v-slider v-model="percent" min="0" max="100" step="1" aria-labelledby="strength-label" />
    </div>
    <v-select
      :model-value="recipe.ends"
      :items="ends"
      label="Note ends"
      @update:model-value="(value: Recipe['ends']) => (recipe = { ...recipe, ends: value })"
    />
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 12px;
}
.row {
  display: flex;
  justify-content: space-between;
}
</style>
