<script setup lang="ts">
import { computed, onMounted, ref } from 'vue';
import { mdiClose } from '@mdi/js';
import { atHand } from '~~/core/document/part';
import { recipeOf, sameRecipe, type Recipe } from '~~/core/timing/recipe';
import { recipeWords } from '~~/core/timing/words';
import { rangeWords } from '~~/core/time/words';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useKept } from '~/kept/kept';

/** Recipes by name, recipes of other stretches, and the same recipe on other parts. */
const props = defineProps<{ recipe: Recipe | null }>();
const emit = defineEmits<{ use: [recipe: Recipe]; lay: [parts: string[]] }>();
const kept = useKept();
const song = useSong();
const reading = useReading();
const name = ref('');
const others = ref<readonly string[]>([]);
onMounted(() => void kept.ready());

const parts = computed(() => atHand(song.document?.parts ?? []).filter((p) => p.id !== reading.shown?.id));
/** Each recipe that is in force somewhere, once. */
const elsewhere = computed(() => {
  const { meter } = reading.maps!;
  const all = atHand(song.document?.parts ?? []).flatMap((p) =>
    p.treatments.map((t) => ({
      recipe: recipeOf(t),
      words: `${p.name}, ${rangeWords(t, meter)}: ${recipeWords(t)}`,
    })),
  );
  return all.filter((a, i) => all.findIndex((b) => sameRecipe(a.recipe, b.recipe)) === i).slice(0, 20);
});
async function keep(): Promise<void> {
  if (props.recipe && (await kept.keepRecipe(name.value, props.recipe))) name.value = '';
}
const toggle = (id: string): void => {
  others.value = others.value.includes(id) ? others.value.filter((o) => o !== id) : [...others.value, id];
};
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: menu }"><v-btn v-bind="menu" size="small">Recipes</v-btn></template>
    <v-card class="pop" min-width="300" max-width="380" role="dialog" aria-label="Recipes">
      <div class="label">Kept by name</div>
      <p v-if="kept.recipes.length === 0" class="quiet">None yet.</p>
      <div v-for="r in kept.recipes" :key="r.name" class="row">
        <Choice :on="recipe !== null && sameRecipe(r.value, recipe)" @click="emit('use', r.value)">{{ r.name }}</Choice>
        <v-btn
          size="x-small"
          variant="text"
          :icon="mdiClose"
          :aria-label="`Forget ${r.name}`"
          @click="kept.forgetRecipe(r.name)"
        />
      </div>
      <form v-if="recipe" class="row" @submit.prevent="keep">
        <v-text-field v-model="name" label="Keep this recipe as" maxlength="60" />
        <v-btn type="submit" size="small" :disabled="!name.trim()">Keep</v-btn>
      </form>
      <template v-if="elsewhere.length > 0">
        <div class="label">As it is elsewhere</div>
        <div v-for="e in elsewhere" :key="e.words" class="row">
          <Choice :on="recipe !== null && sameRecipe(e.recipe, recipe)" @click="emit('use', e.recipe)">{{
            e.words
          }}</Choice>
        </div>
      </template>
      <template v-if="recipe && parts.length > 0">
        <div class="label">On other parts, too</div>
        <div class="choices">
          <Choice v-for="p in parts" :key="p.id" :on="others.includes(p.id)" @click="toggle(p.id)">{{ p.name }}</Choice>
        </div>
        <v-btn size="small" :disabled="others.length === 0" @click="emit('lay', [...others])">Lay it on them</v-btn>
      </template>
    </v-card>
  </v-menu>
</template>

<style scoped>
.pop {
  padding: 12px;
  display: grid;
  gap: 8px;
  max-height: 70vh;
  overflow: auto;
}
.pop p {
  margin: 0;
  font-size: 13px;
}
.row {
  display: flex;
  gap: 6px;
  align-items: center;
  justify-content: space-between;
}
.row :deep(.choice) {
  height: auto;
  min-height: 28px;
  white-space: normal;
  text-align: left;
}
</style>
