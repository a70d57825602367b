<script setup lang="ts">
/** Choices that belong together, with a name for those who do not see them side by side. */
defineProps<{ label: string }>();
</script>

<template>
  <div class="choices" role="group" :aria-label="label"><slot /></div>
</template>
