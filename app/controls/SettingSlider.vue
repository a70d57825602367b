<script setup lang="ts">
/** Slider with its name and its value in words. */
const value = defineModel<number>({ required: true });
withDefaults(defineProps<{ label: string; min: number; max: number; step?: number; words: string }>(), { step: 1 });
</script>

<template>
  <div class="slide">
    <div class="line">
      <span>{{ label }}</span><b class="figures">{{ words }}</b>
    </div>
    <v-slider v-model="value" :min="min" :max="max" :step="step" :aria-label="label" />
  </div>
</template>

<style scoped>
.line {
  display: flex;
  justify-content: space-between;
  font-size: 13px;
}
.slide :deep(.v-slider) {
  margin: 0 4px;
}
.slide :deep(.v-slider .v-input__control) {
  min-height: 20px;
}
</style>
