<script setup lang="ts">
/** Row of a setting: its name and value are always shown, its controls once it is opened. */
const open = defineModel<boolean>('open', { default: false });
defineProps<{ label: string; value: string; quiet?: boolean }>();
</script>

<template>
  <div class="setting" :class="{ open }">
    <button type="button" class="head" :aria-expanded="open" @click="open = !open">
      <span>{{ label }}</span><b :class="{ quiet }">{{ value }}</b>
    </button>
    <div v-if="open" class="body"><slot /></div>
  </div>
</template>

<style scoped>
.setting {
  border-bottom: 1px solid var(--rule-soft);
}
.setting:last-child {
  border-bottom: 0;
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  width: 100%;
  padding: 4px 0;
  font-size: 13px;
  text-align: left;
}
.head b {
  font-weight: 600;
  text-align: right;
}
.head b.quiet {
  font-weight: 400;
}
.open > .head span {
  color: var(--copper-ink);
}
.body {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
  padding: 2px 0 8px;
}
</style>
