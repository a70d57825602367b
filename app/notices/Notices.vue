<script setup lang="ts">
import { mdiClose } from '@mdi/js';
import { useNotices } from './notices';

const notices = useNotices();
</script>

<template>
  <div class="notices" aria-live="polite">
    <div
      v-for="notice in notices.list"
      :key="notice.id"
      class="notice"
      :class="notice.kind"
      :role="notice.kind === 'attention' ? 'alert' : 'status'"
    >
      <span class="text">{{ notice.text }}</span>
      <v-btn
        v-if="notice.action"
        size="small"
        @click="
          notice.action.run();
          notices.dismiss(notice.id);
        "
        >{{ notice.action.label }}</v-btn
      >
      <v-btn
        :icon="mdiClose"
        size="x-small"
        variant="text"
        aria-label="Put this away"
        @click="notices.dismiss(notice.id)"
      />
    </div>
  </div>
</template>

<style scoped>
.notices {
  grid-row: 2;
}
.notice {
  display: flex;
  align-items: center;
  gap: 12px;
  justify-content: space-between;
  padding: 4px 12px 4px 18px;
  border-bottom: 1px solid var(--rule);
  background: var(--copper-soft);
}
.text {
  flex: 1;
}
.notice.plain {
  background: var(--moss-soft);
}
</style>
