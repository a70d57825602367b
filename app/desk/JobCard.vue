<script setup lang="ts">
import { ref } from 'vue';
import { BAR_STATES } from '~~/core/reading/barStates';
import { useFileDrop } from '~/controls/useFileDrop';
import type { JobFacts, Shelf } from './desk';
import type { JobSummary } from '~/api/api';
import { vFocus } from '~/controls/focus';

defineProps<{ job: JobSummary; busy: boolean }>();
const emit = defineEmits<{
  add: [name: string];
  files: [files: File[]];
  save: [facts: JobFacts];
  put: [to: Shelf];
  duplicate: [];
  saveSong: [id: string, facts: { title: string; notes: string }];
  putSong: [song: JobSummary['songs'][number], to: Shelf];
  duplicateSong: [id: string];
}>();
const adding = ref(false);
const editing = ref(false);
const name = ref('');
const picker = ref<HTMLInputElement | null>(null);
const card = ref<HTMLElement | null>(null);
const { over } = useFileDrop(card, (files) => emit('files', files));

function add(): void {
  emit('add', name.value.trim());
  adding.value = false;
  name.value = '';
}
function picked(): void {
  const files = [...(picker.value?.files ?? [])];
  if (files.length) emit('files', files);
  picker.value!.value = '';
}
/** Approximate height of a song's row in pixels, and how many are rendered at once. */
const ROW_PX = 90;
const AT_ONCE = 12;
const dueText = (due: string) =>
  new Date(`${due}T12:00:00`).toLocaleDateString(undefined, { day: 'numeric', month: 'long', year: 'numeric' });
</script>

<template>
  <section class="job sheet" :class="{ over }" :aria-label="job.title" ref="card">
    <JobForm
      v-if="editing"
      :job="job"
      :busy="busy"
      submit="Keep it"
      @save="
        (facts) => {
          emit('save', facts);
          editing = false;
        }
      "
      @cancel="editing = false"
    />
    <header v-else>
      <h2>{{ job.title }}</h2>
      <span class="quiet">{{ job.client }}</span>
      <span v-if="job.due" class="due">due {{ dueText(job.due) }}</span>
      <span class="legend" aria-hidden="true"
        ><template v-for="s in BAR_STATES" :key="s"
          ><BarStrip class="cell" :bars="[{ state: s, bars: 1 }]" :label="s" />{{ s }}</template
        ></span
      >
      <ShelfMenu
        :label="`More for the job ${job.title}`"
        edit-words="Title, client, due date, notes"
        :archive="`/api/jobs/${encodeURIComponent(job.id)}/archive`"
        :shelf="job.shelf"
        :busy="busy"
        @edit="editing = true"
        @duplicate="emit('duplicate')"
        @put="(to) => emit('put', to)"
      />
    </header>
    <p v-if="job.notes && !editing" class="notes">{{ job.notes }}</p>
    <InSight
      v-for="(song, i) in job.songs"
      v-memo="[song, busy]"
      :key="song.id"
      :height="ROW_PX"
      :at-once="i < AT_ONCE"
    >
      <SongRow
        :song="song"
        :busy="busy"
        @save="(facts) => emit('saveSong', song.id, facts)"
        @put="(to) => emit('putSong', song, to)"
        @duplicate="emit('duplicateSong', song.id)"
      />
    </InSight>
    <p v-if="job.songs.length === 0" class="quiet none">No songs here.</p>
    <footer v-if="job.shelf === 'desk'">
      <form v-if="adding" class="new" @submit.prevent="add" @keydown.esc="adding = false">
        <v-text-field v-model="name" label="Song title" v-focus maxlength="120" />
        <v-btn type="submit" :disabled="!name.trim() || busy">Add the song</v-btn>
        <v-btn variant="text" @click="adding = false">Not now</v-btn>
      </form>
      <template v-else>
        <v-btn size="small" :disabled="busy" @click="adding = true">Add a song</v-btn>
        <v-btn size="small" :disabled="busy" @click="picker!.click()">Start a song from files</v-btn>
        <span class="quiet hint">or drop them here: a mix, a click, a MIDI file, a score, a note about the form</span>
      </template>
      <input
        ref="picker"
        type="file"
        multiple
        accept=".mid,.midi,.musicxml,.xml,.mxl,.zip,.wav,.mp3,.flac,.ogg,.aif,.aiff,.txt,.pdf,.png,.jpg,audio/*"
        hidden
        @change="picked"
      />
    </footer>
  </section>
</template>

<style scoped>
.job {
  padding: 12px 18px;
}
.job.over {
  outline: 2px dashed var(--copper);
  outline-offset: -6px;
}
header {
  display: flex;
  align-items: baseline;
  flex-wrap: wrap;
  gap: 14px;
  margin-bottom: 6px;
}
h2 {
  font-size: 21px;
  margin: 0;
  overflow-wrap: anywhere;
}
.due {
  color: var(--copper-ink);
  font-weight: 600;
  font-size: 13px;
  white-space: nowrap;
}
.legend {
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 6px;
  font-size: 12px;
  color: var(--ink-2);
  white-space: nowrap;
}
.legend .cell {
  flex: none;
  width: 14px;
  margin-left: 8px;
  --ink-of-part: var(--ink-2);
}
.notes {
  margin: 0 0 8px;
  font-size: 13px;
  color: var(--ink-2);
  white-space: pre-line;
}
.none {
  margin: 6px 0;
}
footer {
  display: flex;
  gap: 8px;
  padding-top: 10px;
  border-top: 1px solid var(--rule-soft);
  align-items: center;
}
.hint {
  font-size: 12px;
}
.new {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 8px;
  align-items: center;
  width: 100%;
  max-width: 560px;
}
</style>
