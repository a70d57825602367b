<script setup lang="ts">
import { nextTick, onBeforeUnmount, ref, useTemplateRef, watch } from 'vue';
import { typedBars } from '~~/core/recording/typedBars';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useShortcuts } from '~/shell/useShortcuts';
import { useBriefSentence } from '~/transport/briefSentence';
import { usePass } from '~/transport/pass';
import { useRange } from '~/transport/useRange';

/** Bars, typed from anywhere on Play: a digit begins, the chart shows what is meant, Enter selects it. */
const song = useSong();
const reading = useReading();
const pass = usePass();
const sentence = useBriefSentence();
const { setRange } = useRange();
const field = useTemplateRef<HTMLInputElement>('field');
const text = ref<string | null>(null);

watch(text, (now) => {
  sentence.typed = now === null ? null : typedBars(reading.maps!.meter, song.document!.bars, now);
});

onBeforeUnmount(() => {
  sentence.typed = null;
});

async function begin(digit: string): Promise<void> {
  // In a pass Space has to end it, and would go into the field.
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
const leave = (): void => {
  text.value = null;
};

useShortcuts(Object.fromEntries([...'0123456789'].map((digit) => [digit, () => void begin(digit)])));
</script>

<template>
  <slot v-if="text === null" />
  <form v-else class="entry" @submit.prevent="finish" @keydown.esc.stop="leave">
    <label>
      <span class="label">Bars</span>
      <input
        ref="field"
        v-model="text"
        class="figures"
        size="9"
        autocomplete="off"
        aria-describedby="bars-entry-help"
        @blur="leave"
      />
    </label>
    <span id="bars-entry-help" class="quiet" role="status">{{
      sentence.typed
        ? 'Enter selects them'
        : text === ''
          ? 'Esc leaves it'
          : 'no bars of this song: 9 10, say, or 9.3 10.1'
    }}</span>
  </form>
</template>

<style scoped>
.entry {
  display: grid;
  justify-items: end;
}
label {
  display: flex;
  align-items: center;
  gap: 8px;
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
  font-size: 11px;
  line-height: 14px;
}
</style>
