<script setup lang="ts">
/** Group of choices with a label for screen readers. */
defineProps<{ label: string }>();
</script>

<template>
  <div class="choices" role="group" :aria-label="label"><slot /></div>
</template>
