<script setup lang="ts">
/** Button of a group of choices, or a switch; its look and `aria-pressed` say whether it is set. */
defineProps<{
  on: boolean;
  /** True for a label that may wrap. */
  long?: boolean;
}>();
</script>

<template>
  <v-btn size="small" class="choice" :class="{ long }" :active="on" :aria-pressed="on"><slot /></v-btn>
</template>
