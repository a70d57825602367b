<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { mdiClose } from '@mdi/js';
import { many } from '~~/core/vocabulary/many';
import type { ClientNote } from '~~/core/document/clientNote';
import { wordsOf } from '~/api/api';
import { vHint } from '~/controls/hint';
import { useFileDrop } from '~/controls/useFileDrop';
import { useClientNotes } from './clientNotes';

/** Notes of the client beside any station: pasted or dropped, each with its bars, ticked when done. */
const emit = defineEmits<{ close: [] }>();
const notes = useClientNotes();
const panel = ref<HTMLElement | null>(null);
const text = ref('');
const trouble = ref('');
const withPolite = ref(false);
// An error belongs to the text before its change.
watch(text, () => {
  trouble.value = '';
});
/** Largest text file that is read as notes. */
const MOST_BYTES = 1_000_000;
/** Most choices of bars shown at once. */
const SHOWN = 5;

const lines = computed(() => notes.linesOf(text.value));
const polite = computed(() => lines.value.filter((l) => l.polite));
const taken = computed(() => (withPolite.value ? lines.value : lines.value.filter((l) => !l.polite)));
function add(): void {
  trouble.value = notes.refusalOf(taken.value);
  if (trouble.value || taken.value.length === 0) return;
  notes.add(taken.value);
  text.value = '';
  withPolite.value = false;
}
async function takeFiles(files: readonly File[]): Promise<void> {
  const [file] = files;
  if (!file) return;
  if (file.size > MOST_BYTES || file.type.startsWith('audio/')) {
    trouble.value = `${file.name} is no text that could be a note. Nothing was added.`;
    return;
  }
  try {
    const read = new TextDecoder('utf-8', { fatal: true }).decode(await file.arrayBuffer());
    trouble.value = '';
    text.value = [text.value, read].filter(Boolean).join('\n');
  } catch (error) {
    trouble.value = `${file.name} could not be read as text: ${wordsOf(error)} Nothing was added.`;
  }
}
const { over } = useFileDrop(panel, (files) => void takeFiles(files));

/** Note whose typed bars were not understood. */
const unread = ref<string | null>(null);
function typed(note: ClientNote, words: string): void {
  if (words.trim() === '') return;
  unread.value = notes.typeBars(note, words) ? null : note.id;
}
</script>

<template>
  <aside ref="panel" class="notes sheet" :class="{ over }" aria-label="Client’s notes">
    <header>
      <h2 class="names">Client’s notes</h2>
      <span class="quiet" role="status">{{ notes.all.length ? `${notes.open} open of ${notes.all.length}` : '' }}</span>
      <v-btn :icon="mdiClose" size="small" variant="text" aria-label="Close the notes" @click="emit('close')" />
    </header>
    <p v-if="notes.all.length === 0" class="quiet small">
      Paste what the client wrote, or drop the text here: each line becomes a note with its bars. Your own notes go in
      the same way.
    </p>
    <ol v-else class="list" tabindex="0" aria-label="Notes">
      <li v-for="{ note, number, where, choices } in notes.shown" :key="note.id" :class="{ done: note.done }">
        <div class="head">
          <v-checkbox-btn
            density="compact"
            :model-value="note.done !== null"
            :aria-label="`Note ${number} is done`"
            @update:model-value="notes.tick(note)"
          />
          <span class="number figures">{{ number }}</span>
          <button v-if="where" class="where" v-hint="'Set the brief to these bars'" @click="notes.go(note)">
            {{ where }}
          </button>
          <span v-else class="ask">Which bars?</span>
          <v-btn
            class="out"
            :icon="mdiClose"
            size="x-small"
            variant="text"
            :aria-label="`Take note ${number} out`"
            @click="notes.takeOut(note)"
          />
        </div>
        <p class="text">{{ note.text }}</p>
        <div v-if="!note.bars" class="choices">
          <Choice
            v-for="c in choices.slice(0, SHOWN)"
            :key="c.words"
            :on="false"
            @click="notes.setBars(note, c.bars)"
            >{{ c.words }}</Choice
          >
          <SmallField
            class="bars"
            placeholder="or type them"
            :aria-label="`Bars of note ${number}`"
            @set="(words: string) => typed(note, words)"
          />
          <span v-if="unread === note.id" class="trouble" role="alert">Type bars, as 12–14 or chorus 2.</span>
        </div>
        <SmallField
          v-if="note.done"
          class="answer"
          maxlength="500"
          placeholder="a word of answer, if you like"
          :aria-label="`Answer to note ${number}`"
          :model-value="note.done.answer"
          @set="(words: string) => notes.answer(note, words)"
        />
        <div v-else-if="notes.mayBe(note)" class="may">
          <span>These bars have changed since.</span>
          <v-btn size="x-small" @click="notes.tick(note)">It is done</v-btn>
        </div>
      </li>
    </ol>
    <form class="new" @submit.prevent="add">
      <v-textarea
        v-model="text"
        rows="5"
        no-resize
        variant="outlined"
        density="compact"
        hide-details
        aria-label="New notes"
        placeholder="bar 12 too busy; second chorus: softer pedal"
        @keydown.ctrl.enter.prevent="add"
      />
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }} The text is still here.</p>
      <div class="row">
        <v-btn type="submit" :disabled="taken.length === 0">{{
          taken.length ? `Add ${many(taken.length, 'note')}` : 'Add notes'
        }}</v-btn>
        <button v-if="polite.length" type="button" class="polite" @click="withPolite = !withPolite">
          {{ withPolite ? 'Without' : 'Also' }} “{{ polite[0]!.text }}”{{ polite.length > 1 ? ' and the like' : '' }}
        </button>
      </div>
    </form>
  </aside>
</template>

<style scoped>
.notes {
  position: fixed;
  z-index: 1500;
  inset: 58px 18px calc(var(--plate-height, 100px) + var(--strip, 34px) + 8px) auto;
  width: min(400px, calc(100vw - 36px));
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto;
  gap: 8px;
  padding: 12px 16px;
  box-shadow: 0 6px 28px rgb(0 0 0 / 22%);
}
.notes.over {
  outline: 2px dashed var(--copper);
}
header,
.head,
.row,
.may {
  display: flex;
  align-items: center;
  gap: 8px;
}
h2 {
  font-size: 18px;
  margin: 0;
  flex: 1;
}
.small {
  font-size: 13px;
  margin: 0;
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow: auto;
}
li {
  padding: 6px 0 8px;
  border-top: 1px solid var(--rule);
  display: grid;
  gap: 4px;
}

.head > :first-child {
  flex: none;
}
.number {
  color: var(--copper);
}
.where {
  text-decoration: underline;
  text-underline-offset: 3px;
  font-weight: 600;
}
.ask {
  color: var(--copper);
  font-weight: 600;
}
.out {
  margin-left: auto;
}
.text {
  margin: 0 0 0 34px;
  overflow-wrap: anywhere;
}
.done .text {
  color: var(--ink-2);
  text-decoration: line-through;
}
.choices,
.answer,
.may {
  margin-left: 34px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.bars {
  width: 120px;
  flex: 0 0 auto;
}
.may {
  font-size: 13px;
  color: var(--moss);
}
.trouble {
  margin: 0;
  font-size: 13px;
  color: var(--copper);
}
.new {
  display: grid;
  gap: 6px;
}
.polite {
  font-size: 12px;
  color: var(--ink-2);
  text-decoration: underline;
  text-align: left;
}
</style>
