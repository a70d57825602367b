<script setup lang="ts">
/**
 * A text or number field of the height of a line. What was typed is told when it is finished, by Enter or by leaving;
 * a model follows every letter.
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
