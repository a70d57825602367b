<script setup lang="ts">
import { ref } from 'vue';
import { mdiClose } from '@mdi/js';

/** List of things kept by name: select, forget, or keep one more. */
const props = defineProps<{
  items: readonly { readonly name: string; readonly on: boolean }[];
  /** Words for an empty list. */
  none: string;
  /** Reason why the list may be incomplete; empty where it is complete. */
  trouble: string;
  /** Label of the field for a new name. */
  label: string;
  /**
   * Keeps the current settings under a name, and returns true if that succeeded. Null where there is nothing to keep.
   */
  keep: ((name: string) => Promise<boolean>) | null;
}>();
const emit = defineEmits<{ use: [name: string]; forget: [name: string] }>();
const name = ref('');
async function keepIt(): Promise<void> {
  if (await props.keep?.(name.value)) name.value = '';
}
</script>

<template>
  <p v-if="trouble" role="alert" class="trouble said">{{ trouble }}</p>
  <p v-else-if="items.length === 0" class="quiet said">{{ none }}</p>
  <div v-for="item in items" :key="item.name" class="row">
    <Choice long :on="item.on" @click="emit('use', item.name)">{{ item.name }}</Choice>
    <v-btn
      size="x-small"
      variant="text"
      :icon="mdiClose"
      :aria-label="`Forget ${item.name}`"
      @click="emit('forget', item.name)"
    />
  </div>
  <form v-if="keep" class="row" @submit.prevent="keepIt">
    <v-text-field v-model="name" :label="label" :maxlength="60" />
    <v-btn type="submit" size="small" variant="outlined" :disabled="!name.trim()">Keep</v-btn>
  </form>
</template>

<style scoped>
.said {
  margin: 0;
  font-size: 13px;
}
.row {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
  align-items: center;
}
</style>
