<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, ref, useTemplateRef, watch } from 'vue';
import { typedBars } from '~~/core/recording/typedBars';
import { useOpenSong } from '~/song/openSong';
import { useShortcuts } from '~/shell/useShortcuts';
import { useBriefSentence } from '~/transport/briefSentence';
import { usePass } from '~/transport/pass';
import { useRange } from '~/transport/useRange';

/** Entry of bars by typing anywhere on Play: a digit opens it, the chart shows the bars, Enter selects them. */
const openSong = useOpenSong();
const pass = usePass();
const sentence = useBriefSentence();
const { setRange } = useRange();
const field = useTemplateRef<HTMLInputElement>('field');
const text = ref<string | null>(null);

watch(text, (now) => {
  sentence.typed = now === null ? null : typedBars(openSong.maps.meter, openSong.document.bars, now);
});

onBeforeUnmount(() => {
  sentence.typed = null;
});

async function begin(digit: string): Promise<void> {
  // During a pass the Space key has to end it, and must not go into the field.
  if (pass.recording) return;
  text.value = digit;
  await nextTick();
  field.value?.focus();
}
function finish(): void {
  const bars = sentence.typed;
  if (text.value !== '' && !bars) return;
  text.value = null;
  if (bars) setRange(bars);
}
const help = computed(() => {
  if (sentence.typed) return 'Enter selects them';
  return text.value === '' ? 'Esc leaves it' : 'no bars of this song';
});
const leave = (): void => {
  text.value = null;
};

useShortcuts(Object.fromEntries([...'0123456789'].map((digit) => [digit, () => void begin(digit)])));
</script>

<template>
  <slot v-if="text === null" />
  <form v-else class="entry" @submit.prevent="finish" @keydown.esc.stop="leave">
    <span id="bars-entry-help" class="quiet" role="status">{{ help }}</span>
    <input
      ref="field"
      v-model="text"
      class="figures"
      size="9"
      autocomplete="off"
      aria-label="Bars"
      aria-describedby="bars-entry-help"
      @blur="leave"
    />
  </form>
</template>

<style scoped>
.entry {
  display: flex;
  align-items: center;
  gap: 10px;
  white-space: nowrap;
}
input {
  padding: 0 8px;
  font-size: 18px;
  line-height: 26px;
  background: var(--raised);
  color: var(--ink);
  border-radius: 6px;
}
.quiet {
  font-size: 12px;
}
</style>
