<script setup lang="ts" generic="Value extends string | number | null">
/** A choice of the height of a line, from a list that opens. */
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
