<script setup lang="ts">
import { useStandReceiver } from '~/stand/standWindow';

/** Stand in a window of its own. It shows what the window with the song sends, and needs no input. */
const facts = useStandReceiver();
</script>

<template>
  <StandSheet v-if="facts" :facts="facts" />
  <section v-else class="waits" role="status">
    <h1 class="names">The stand</h1>
    <p>It follows by itself as soon as a song is open in another window of this browser.</p>
  </section>
</template>

<style scoped>
.waits {
  height: 100dvh;
  display: grid;
  place-content: center;
  text-align: center;
  font-size: 28px;
  gap: 10px;
}
h1 {
  font-size: 64px;
}
p,
h1 {
  margin: 0;
}
</style>
