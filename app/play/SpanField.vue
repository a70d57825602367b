<script setup lang="ts">
import type { Span } from '~~/core/vocabulary/modes';

/** Length in bars or beats. */
const span = defineModel<Span>({ required: true });
defineProps<{ label: string }>();
const MOST = 64;
const UNITS = [
  { value: 'bars', title: 'bars' },
  { value: 'beats', title: 'beats' },
] as const;
const setCount = (text: string) => {
  span.value = { ...span.value, count: Math.max(0, Math.min(MOST, Math.round(Number(text)) || 0)) };
};
</script>

<template>
  <span>{{ label }}</span>
  <SmallField
    class="field figures"
    type="number"
    min="0"
    :max="MOST"
    :model-value="span.count"
    :aria-label="label"
    @set="setCount"
  />
  <SmallSelect
    :model-value="span.unit"
    :items="UNITS"
    :label="`Unit of the ${label.toLowerCase()}`"
    @update:model-value="(unit: Span['unit']) => (span = { ...span, unit })"
  />
</template>
