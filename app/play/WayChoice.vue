<script setup lang="ts">
import type { LapPolicy, Mode } from '~~/core/vocabulary/modes';

/** Recording mode with its name, its picture and a line of explanation. */
defineOptions({ inheritAttrs: false });
defineProps<{ way: Mode | LapPolicy; name: string; on: boolean }>();
</script>

<template>
  <div class="way">
    <Choice long :on="on" v-bind="$attrs">{{ name }}</Choice>
    <ModePicture :way="way" />
    <p class="quiet"><slot /></p>
  </div>
</template>

<style scoped>
.way {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 98px;
  gap: 1px 10px;
  align-items: center;
}
p {
  grid-column: 1 / -1;
  margin: 0 0 4px;
  font-size: 12px;
  line-height: 1.25;
}
</style>
