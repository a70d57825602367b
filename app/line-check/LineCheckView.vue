<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue';
import { useRoute } from 'vue-router';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLineCheck } from './lineCheck';
import { useSession } from '~/transport/session';
import { vHint } from '~/controls/hint';

const check = useLineCheck();
const keyboards = useKeyboards();
const session = useSession();
const PAGES = ['Keyboards', 'Latency', 'Levels', 'Hands-free'] as const;
const route = useRoute();
const page = ref<(typeof PAGES)[number]>(PAGES.find((p) => p === route.query.page) ?? 'Keyboards');
// A keyboard that is switched off is reported here; at other stations it is left to other programs.
onUnmounted(keyboards.hearOff());
const said = computed(() => {
  const { trouble } = check;
  if (!trouble) return 'Every link is whole, from the keys to the ears.';
  return trouble.state === 'broken'
    ? `The cable is open at “${trouble.name.toLowerCase()}”. ${trouble.says}`
    : `So far so good. ${trouble.says}`;
});
</script>

<template>
  <div class="check">
    <section class="brief sheet" aria-label="Line check">
      <span class="label">Right now</span>
      <p class="sentence names" role="status">{{ said }}</p>
    </section>
    <CableChain />
    <div class="side">
      <div class="choices">
        <PageTabs v-model="page" label="Line check pages" :pages="PAGES" />
        <v-btn size="small" class="panic" v-hint="'All notes and pedals off'" @click="session.panic()"
          >Panic <ActionKey class="key" action="panic"
        /></v-btn>
      </div>
      <KeyboardSettings v-if="page === 'Keyboards'" />
      <LatencyPanel v-else-if="page === 'Latency'" />
      <HandsFree v-else-if="page === 'Hands-free'" />
      <LevelsPanel v-else />
    </div>
  </div>
</template>

<style scoped>
.check {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr);
  gap: 10px;
  height: 100%;
}
.side {
  display: grid;
  gap: 8px;
  align-content: start;
  overflow: auto;
  min-height: 0;
}
.panic {
  margin-left: auto;
}
.key {
  margin-left: 6px;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .check {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
}
</style>
