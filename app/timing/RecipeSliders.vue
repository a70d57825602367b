<script setup lang="ts">
import type { Recipe } from '~~/core/timing/recipe';
import { changedRecipe, type RecipeSlider } from './recipeSettings';

/** Sliders of some of a recipe's settings. */
const recipe = defineModel<Recipe>({ required: true });
defineProps<{ sliders: readonly RecipeSlider[] }>();
</script>

<template>
  <SettingSlider
    v-for="s in sliders"
    :key="s.label"
    :model-value="s.of(recipe)"
    :label="s.label"
    :min="s.min"
    :max="s.max"
    :step="s.step ?? 1"
    :words="s.words(recipe)"
    @update:model-value="(value: number) => (recipe = changedRecipe(recipe, s.to(value, recipe)))"
  />
</template>
