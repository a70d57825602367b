<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref } from 'vue';
import { BAR_STATES } from '~~/core/reading/barStates';
import { standingWords } from '~~/core/handover/deliveryProgress';
import { TOKENS } from '~/drawing/inks';
import type { JobSummary } from '~/api/api';
import type { Shelf } from './desk';
import { vFocus } from '~/controls/focus';

type Song = JobSummary['songs'][number];
type Part = Song['parts'][number];

/** Row of a song on the Desk: link, menu, and the progress of each part. */
const props = defineProps<{ song: Song; busy: boolean }>();
const emit = defineEmits<{ save: [facts: { title: string; notes: string }]; put: [to: Shelf]; duplicate: [] }>();
const editing = ref(false);
const title = ref('');
const notes = ref('');

function edit(): void {
  title.value = props.song.title;
  notes.value = props.song.notes;
  editing.value = true;
}
function save(): void {
  emit('save', { title: title.value.trim(), notes: notes.value });
  editing.value = false;
}

/** Words such as "played 100%, picked 91%, tidied 45%", as shares of the song's bars. */
function progress(part: Part): string {
  const barsOf = (runs: Part['bars']) => runs.reduce((sum, run) => sum + run.bars, 0);
  const total = barsOf(part.bars);
  const reached = (from: number) =>
    Math.round((100 * barsOf(part.bars.filter((run) => BAR_STATES.indexOf(run.state) >= from))) / total);
  const shares = BAR_STATES.slice(1).map((state, i) => [state, reached(i + 1)] as const);
  const said = shares.filter(([, share]) => share > 0).map(([word, share]) => `${word} ${share}%`);
  return said.length ? said.join(', ') : 'not played yet';
}
/** Words for the latest two stages, or for having been handed over. */
function shortly(part: Part): string {
  const said = progress(part).split(', ');
  return said.slice(said.at(-1)!.startsWith('handed') ? -1 : -2).join(', ');
}
const standing = computed(() => standingWords(props.song.standing));
const bpmText = (bpm: number) => `${Math.round(bpm * 10) / 10} bpm`;
function takesText(takes: number): string {
  if (takes === 0) return '';
  return many(takes, 'take');
}
</script>

<template>
  <article class="song" :aria-label="song.title">
    <form v-if="editing" class="edit" @submit.prevent="save" @keydown.esc="editing = false">
      <v-text-field v-model="title" label="Title" v-focus maxlength="120" />
      <v-textarea
        v-model="notes"
        label="Notes, the form and whatever the client wrote"
        rows="2"
        auto-grow
        variant="outlined"
        density="compact"
        hide-details
        maxlength="5000"
      />
      <div>
        <v-btn type="submit" size="small" :disabled="!title.trim() || busy">Keep it</v-btn>
        <v-btn size="small" variant="text" @click="editing = false">Not now</v-btn>
      </div>
    </form>
    <div v-else class="what">
      <NuxtLink :to="`/songs/${song.id}/play`" class="open">
        <span class="names title">{{ song.title }}</span>
        <span v-if="song.unreadable" class="facts"
          >It lies in the data folder as it is.
          {{ song.newer ? 'Open it with that version of Tall Kettle.' : 'Bring back a backup of it.' }}</span
        >
        <span v-else class="facts">{{ many(song.bars, 'bar') }} · {{ bpmText(song.bpm) }} · {{ song.meter }}</span>
      </NuxtLink>
      <NuxtLink
        v-if="standing"
        class="standing"
        :class="song.standing.state.replace(' ', '-')"
        :to="`/songs/${song.id}/hand-over`"
        >{{ standing }}</NuxtLink
      >
      <div class="links">
        <NuxtLink :to="`/songs/${song.id}/set-up`" class="link">Set up</NuxtLink>
        <ShelfMenu
          :label="`More for ${song.title}`"
          edit-words="Title and notes"
          :shelf="song.shelf"
          :busy="busy"
          @edit="edit"
          @duplicate="emit('duplicate')"
          @put="(to) => emit('put', to)"
        />
      </div>
    </div>
    <div class="parts">
      <div v-for="part in song.parts" :key="part.id" class="part" :style="{ '--ink-of-part': TOKENS[part.ink] }">
        <span class="name">{{ part.name }}</span>
        <BarStrip :bars="part.bars" :label="`${part.name}: ${progress(part)}`" />
        <span class="share">{{ shortly(part) }}</span>
        <span class="share">{{ takesText(part.takes) }}</span>
      </div>
      <p v-if="song.notes" class="notes">{{ song.notes }}</p>
    </div>
  </article>
</template>

<style scoped>
.song {
  display: grid;
  grid-template-columns: 230px 1fr;
  gap: 18px;
  padding: 10px 0;
  border-top: 1px solid var(--rule-soft);
  align-items: start;
}
.what {
  display: grid;
  grid-template-columns: 1fr auto;
}
.open {
  display: grid;
  color: var(--ink);
  text-decoration: none;
  padding: 4px 8px;
  margin: -4px -8px;
  border-radius: 8px;
  min-width: 0;
}
.open:hover {
  background: var(--copper-soft);
}
.title {
  font-size: 17px;
  text-decoration: underline;
  text-decoration-color: var(--copper);
  text-underline-offset: 4px;
  text-decoration-thickness: 1px;
  overflow-wrap: anywhere;
}
.facts {
  font-size: 12px;
  color: var(--ink-2);
}
.standing {
  grid-row: 2;
  grid-column: 1 / -1;
  font-size: 12px;
  font-weight: 600;
  text-decoration: none;
  color: var(--copper-ink);
}
.standing:hover {
  text-decoration: underline;
}
.standing.ready,
.standing.handed-over {
  color: var(--moss);
}
.links {
  display: flex;
  align-items: center;
  gap: 2px;
  align-self: start;
}
.link {
  color: var(--copper-ink);
  font-weight: 600;
  font-size: 13px;
}
.edit {
  display: grid;
  gap: 8px;
}
.parts {
  display: grid;
  gap: 5px;
}
.part {
  display: grid;
  grid-template-columns: 120px minmax(0, 1fr) 206px 52px;
  gap: 12px;
  align-items: center;
  font-size: 13px;
}
.name {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.share {
  color: var(--ink-2);
  font-size: 12px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.notes {
  margin: 2px 0 0;
  font-size: 12px;
  color: var(--ink-2);
  white-space: pre-line;
  max-height: 34px;
  overflow: hidden;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .song {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
