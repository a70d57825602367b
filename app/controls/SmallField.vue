<script setup lang="ts">
/**
 * Field of a line's height. `set` is emitted when typing is finished, by Enter or by leaving; the model follows each
 * letter.
 */
const model = defineModel<string | number>();
const emit = defineEmits<{ set: [text: string] }>();
</script>

<template>
  <v-text-field
    v-model="model"
    class="small-field"
    single-line
    hide-details
    @change="(event: Event) => emit('set', (event.target as HTMLInputElement).value)"
  />
</template>
