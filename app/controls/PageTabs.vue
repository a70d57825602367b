<script setup lang="ts" generic="Page extends string">
/** Tabs for the pages of a station. */
const page = defineModel<Page>({ required: true });
defineProps<{ label: string; pages: readonly Page[] }>();
</script>

<template>
  <v-tabs v-model="page" class="page-tabs" :aria-label="label" density="compact" height="30">
    <v-tab v-for="p in pages" :key="p" :value="p" :text="p" min-width="0" variant="text" />
  </v-tabs>
</template>

<style scoped>
.page-tabs {
  flex: none;
}
.page-tabs :deep(.v-tab) {
  background: none;
  padding: 0 9px;
  font-size: 13px;
  letter-spacing: normal;
  text-transform: none;
  color: var(--ink-2);
}
.page-tabs :deep(.v-tab--selected) {
  color: var(--copper-ink);
  font-weight: 600;
}
</style>
