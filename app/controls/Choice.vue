<script setup lang="ts">
/** A button that is one of several choices, or on or off: it looks set and is said to be pressed when it is. */
defineProps<{
  on: boolean;
  /** Its words may take several lines. */
  long?: boolean;
}>();
</script>

<template>
  <v-btn size="small" class="choice" :class="{ long }" :active="on" :aria-pressed="on"><slot /></v-btn>
</template>
