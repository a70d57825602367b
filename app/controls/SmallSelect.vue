<script setup lang="ts" generic="Value extends string | number | null">
/** Select of a line's height. */
const chosen = defineModel<Value>({ required: true });
defineProps<{ items: readonly { readonly value: Value; readonly title: string }[]; label: string }>();
</script>

<template>
  <v-select
    v-model="chosen"
    class="small-field small-select"
    :items="items"
    :aria-label="label"
    single-line
    hide-details
    :menu-props="{ contentClass: 'small-list' }"
  />
</template>
