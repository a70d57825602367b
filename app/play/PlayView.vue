<script setup lang="ts">
import { onMounted, ref } from 'vue';

/** The chart and the brief are rendered first, the lists a frame later. */
const lists = ref(false);
onMounted(() =>
  requestAnimationFrame(() =>
    requestAnimationFrame(() => {
      lists.value = true;
    }),
  ),
);
</script>

<template>
  <div class="play">
    <BriefSentence />
    <SongChart />
    <aside class="side">
      <template v-if="lists">
        <PartList />
        <PassList />
      </template>
    </aside>
  </div>
</template>

<style scoped>
.play {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) 268px;
  gap: 10px 16px;
  height: 100%;
}
.play > :first-child {
  grid-column: 1 / -1;
}
.side {
  display: grid;
  grid-template-rows: auto minmax(90px, 1fr);
  gap: 8px;
  min-height: 0;
  overflow: auto;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .play {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
}
</style>
