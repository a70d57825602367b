<script setup lang="ts">
import { computed, ref } from 'vue';
import { atHand } from '~~/core/document/part';
import { recipeOf, sameRecipe, type Recipe } from '~~/core/timing/recipe';
import { recipeWords } from '~~/core/timing/words';
import { rangeWords } from '~~/core/time/words';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useKept } from '~/kept/kept';
import NamedList from '~/kept/NamedList.vue';

/** Menu of recipes by name, recipes used in other ranges, and applying this one to other parts. */
const props = defineProps<{ recipe: Recipe | null }>();
const emit = defineEmits<{ use: [recipe: Recipe]; apply: [parts: string[]] }>();
const kept = useKept();
const song = useSong();
const openSong = useOpenSong();
const reading = useReading();
const others = ref<readonly string[]>([]);

const parts = computed(() => atHand(song.document?.parts ?? []).filter((p) => p.id !== reading.shown?.id));
/** Recipes in force elsewhere, each once. */
const elsewhere = computed(() => {
  const { meter } = openSong.maps;
  const isHere = (part: string, t: Recipe) =>
    part === reading.shown?.id && props.recipe !== null && sameRecipe(recipeOf(t), props.recipe);
  const all = atHand(song.document?.parts ?? []).flatMap((p) =>
    p.treatments
      .filter((t) => !isHere(p.id, t))
      .map((t) => ({
        recipe: recipeOf(t),
        words: `${p.name}, ${rangeWords(t, meter)}: ${recipeWords(t)}`,
      })),
  );
  return all.filter((a, i) => all.findIndex((b) => sameRecipe(a.recipe, b.recipe)) === i).slice(0, 20);
});
const items = computed(() =>
  kept.recipes.map(({ name, value }) => ({ name, on: props.recipe !== null && sameRecipe(value, props.recipe) })),
);
const toggle = (id: string): void => {
  others.value = others.value.includes(id) ? others.value.filter((o) => o !== id) : [...others.value, id];
};
</script>

<template>
  <Popup label="Recipes" @update:model-value="(open: boolean) => open && kept.refresh()">
    <template #activator="{ props: menu }"><v-btn v-bind="menu" size="small">Recipes</v-btn></template>
    <div class="label">Kept by name</div>
    <NamedList
      :items="items"
      none="None yet."
      :trouble="kept.unread"
      label="Keep this recipe as"
      :keep="recipe && ((name) => kept.keepRecipe(name, recipe!))"
      @use="(name) => emit('use', kept.recipes.find((r) => r.name === name)!.value)"
      @forget="kept.forgetRecipe"
    />
    <template v-if="elsewhere.length > 0">
      <div class="label">As it is elsewhere</div>
      <div v-for="e in elsewhere" :key="e.words" class="row">
        <Choice long :on="recipe !== null && sameRecipe(e.recipe, recipe)" @click="emit('use', e.recipe)">{{
          e.words
        }}</Choice>
      </div>
    </template>
    <template v-if="recipe && parts.length > 0">
      <div class="label">On other parts, too</div>
      <div class="choices">
        <Choice v-for="p in parts" :key="p.id" :on="others.includes(p.id)" @click="toggle(p.id)">{{ p.name }}</Choice>
      </div>
      <v-btn size="small" :disabled="others.length === 0" @click="emit('apply', [...others])">Apply it to them</v-btn>
    </template>
  </Popup>
</template>

<style scoped>
.row {
  display: flex;
  gap: 6px;
  align-items: center;
  justify-content: space-between;
}
</style>
