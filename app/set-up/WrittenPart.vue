<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { formOf } from '~~/core/client/meant';
import { readWritten, symbolsOf, writtenText } from '~~/core/client/writtenPart';
import { chordProText, isChordPro } from '~~/core/files/chordPro';
import { transpositionWords } from '~~/core/document/transposition';
import { many } from '~~/core/vocabulary/many';
import { useFileDrop } from '~/controls/useFileDrop';
import { wordsOf } from '~/api/api';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';

/** Editor of the written part: chords, rehearsal letters and short notes, bar by bar. */
const song = useSong();
const openSong = useOpenSong();
const panel = ref<HTMLElement | null>(null);
const form = computed(() => formOf(openSong.document, openSong.maps));
const kept = computed(() => writtenText(openSong.document.written, form.value));
const text = ref(kept.value);
const trouble = ref('');
// A change from elsewhere does not replace what is being typed.
watch(kept, (now, before) => {
  if (text.value === before) text.value = now;
});
// An error belongs to the text before its change.
watch(text, () => {
  trouble.value = '';
});
/** Largest text file that is read as a part. */
const MOST_BYTES = 1_000_000;

const typed = computed(() =>
  isChordPro(text.value)
    ? chordProText(
        text.value,
        form.value.sections.map((s) => s.name),
      )
    : text.value,
);
const read = computed(() => readWritten(typed.value, form.value));
const isSame = computed(() => text.value === kept.value);
const symbols = computed(() => read.value.written.flatMap((w) => symbolsOf(w.chords, 4)));
const unread = computed(() => [...new Set(symbols.value.filter((s) => !s.read).map((s) => s.text))]);
const summary = computed(() => {
  const bars = many(read.value.written.length, 'bar');
  const other = unread.value.length ? ` Shown as written: ${unread.value.slice(0, 6).join(', ')}.` : '';
  const each = typed.value !== text.value ? ' Read as ChordPro: a chord over words has a bar to itself.' : '';
  return `${bars} written.${other}${each}`;
});
function write(): void {
  trouble.value = read.value.trouble;
  if (trouble.value) return;
  song.run({ type: 'set written part', written: read.value.written });
  text.value = kept.value;
}
useFileDrop(panel, ([file]) => {
  if (!file) return;
  if (file.size > MOST_BYTES) {
    trouble.value = `${file.name} is too large for a part. Nothing was changed.`;
    return;
  }
  file
    .arrayBuffer()
    .then((bytes) => {
      text.value = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    })
    .catch((error: unknown) => {
      trouble.value = `${file.name} could not be read as text: ${wordsOf(error)} Nothing was changed.`;
    });
});
</script>

<template>
  <section ref="panel" class="written" aria-label="Written part">
    <div class="label">Written part</div>
    <p class="quiet small">
      Bars between lines, from bar 1 or from a section’s name in brackets. Dots go on for a beat, % is the same again,
      “words” stand under the bar, (B) is a letter. A ChordPro or text file can be dropped here.
    </p>
    <v-textarea
      v-model="text"
      variant="outlined"
      rows="14"
      no-resize
      density="compact"
      hide-details
      class="figures"
      aria-label="Written part, as text"
      placeholder='[Verse 1]
| Am7 | D7sus4 . . D7 | % | G "softly" |'
      @keydown.ctrl.enter.prevent="write"
    />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }} Nothing was changed; the text is still here.</p>
    <p v-else class="quiet small" role="status">{{ text.trim() ? summary : 'Nothing is written.' }}</p>
    <p v-if="openSong.document.transposition.length > 0 && text.trim()" class="quiet small">
      Here it is in the song’s own key; the chart, the stand and the sheets have it
      {{ transpositionWords(openSong.document.transposition, openSong.document.bars) }}.
    </p>
    <div class="row">
      <v-btn :disabled="isSame" @click="write">Write it</v-btn>
      <v-btn v-if="!isSame" variant="text" @click="text = kept">As it was</v-btn>
    </div>
  </section>
</template>

<style scoped>
.written {
  display: grid;
  gap: 8px;
  align-content: start;
}
.written :deep(textarea) {
  font-size: 13px;
  line-height: 1.4;
}
.small {
  font-size: 12px;
  margin: 0;
}
.trouble {
  margin: 0;
  font-size: 13px;
  color: var(--copper-ink);
}
.row {
  display: flex;
  gap: 8px;
}
</style>
