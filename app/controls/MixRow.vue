<script setup lang="ts">
import { ref, watch } from 'vue';

interface Settings {
  gainDb?: number;
  muted?: boolean;
  solo?: boolean;
}

/** Level, mute and solo of one sound source. The level is stored when the slider is released. */
const props = withDefaults(
  defineProps<{ label: string; gainDb: number; muted: boolean; solo?: boolean; valueText: string }>(),
  { solo: undefined },
);
const emit = defineEmits<{ set: [to: Settings] }>();
const level = ref(props.gainDb);
watch(
  () => props.gainDb,
  (now) => {
    level.value = now;
  },
);
</script>

<template>
  <div class="mix">
    <v-slider
      v-model="level"
      min="-40"
      max="6"
      step="1"
      density="compact"
      :aria-label="`${label}, level in dB`"
      @end="(value: number) => emit('set', { gainDb: value })"
      @keyup="emit('set', { gainDb: level })"
    />
    <span class="figures value">{{ valueText }}</span>
    <button
      class="switch"
      :class="{ on: muted }"
      :aria-pressed="muted"
      :aria-label="`Mute ${label}`"
      @click="emit('set', { muted: !muted })"
    >
      mute
    </button>
    <button
      v-if="solo !== undefined"
      class="switch"
      :class="{ on: solo }"
      :aria-pressed="solo"
      :aria-label="`Solo ${label}`"
      @click="emit('set', { solo: !solo })"
    >
      solo
    </button>
  </div>
</template>

<style scoped>
.mix {
  display: grid;
  grid-template-columns: 1fr 44px auto auto;
  align-items: center;
  gap: 6px;
}
.mix :deep(.v-slider) {
  margin: 0;
  --v-input-control-height: 22px;
}
.mix :deep(.v-input__control),
.mix :deep(.v-slider__container) {
  min-height: 22px;
}
.value {
  font-size: 11px;
  color: var(--ink-2);
  text-align: right;
  white-space: nowrap;
}
.switch {
  font-size: 11px;
  padding: 0 6px;
  border: 1px solid var(--rule);
  border-radius: 6px;
  color: var(--ink-2);
}
.switch.on {
  background: var(--copper-soft);
  border-color: var(--copper);
  color: var(--copper-ink);
  font-weight: 600;
}
</style>
