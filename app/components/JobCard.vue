<script setup lang="ts">
import { ref } from 'vue';
import { PART_INKS } from '~/utils/inks';
import type { JobSummary } from '~/utils/api';

defineProps<{ job: JobSummary; busy: boolean }>();
const emit = defineEmits<{ open: [id: string]; add: [name: string]; file: [file: File] }>();
const adding = ref(false);
const name = ref('');
const picker = ref<HTMLInputElement | null>(null);

function add(): void {
  emit('add', name.value.trim());
  adding.value = false;
  name.value = '';
}
function picked(): void {
  const file = picker.value?.files?.[0];
  if (file) emit('file', file);
  picker.value!.value = '';
}
const STATES = ['empty', 'pencilled', 'inked', 'tidied'] as const;
type Part = JobSummary['songs'][number]['parts'][number];
const share = (part: Part): string => {
  const done = part.bars.filter((b) => b === 'inked' || b === 'tidied').length;
  return done === 0 ? 'not played yet' : `${done} of ${part.bars.length} bars`;
};
const dueText = (due: string) => new Date(`${due}T12:00:00`).toLocaleDateString(undefined, { day: 'numeric', month: 'long', year: 'numeric' });
const bpmText = (bpm: number) => `${Math.round(bpm * 10) / 10} bpm`;
</script>

<template>
  <section class="job sheet" :aria-label="job.title">
    <header>
      <h2>{{ job.title }}</h2>
      <span class="quiet">{{ job.client }}</span>
      <span v-if="job.due" class="due">due {{ dueText(job.due) }}</span>
      <span class="legend" aria-hidden="true"><template v-for="s in STATES" :key="s"><i class="cell" :class="s" />{{ s }}</template></span>
    </header>
    <article v-for="song in job.songs" :key="song.id" class="song">
      <NuxtLink :to="`/songs/${song.id}/play`" class="open">
        <span class="names title">{{ song.title }}</span>
        <span class="facts">{{ song.bars }} bars · {{ bpmText(song.bpm) }} · {{ song.meter }}</span>
      </NuxtLink>
      <div class="parts">
        <div v-for="part in song.parts" :key="part.id" class="part" :style="{ '--ink-of-part': PART_INKS[part.ink] }">
          <span class="name">{{ part.name }}</span>
          <span class="strip" role="img" :aria-label="`${part.name}: ${share(part)}`">
            <i v-for="(bar, i) in part.bars" :key="i" class="cell" :class="bar" />
          </span>
          <span class="share">{{ share(part) }}</span>
          <span class="share">{{ part.takes === 0 ? '' : part.takes === 1 ? '1 take' : `${part.takes} takes` }}</span>
        </div>
      </div>
    </article>
    <p v-if="job.songs.length === 0" class="quiet none">No songs yet.</p>
    <footer>
      <form v-if="adding" class="new" @submit.prevent="add">
        <v-text-field v-model="name" label="Song title" autofocus maxlength="120" />
        <v-btn type="submit" :disabled="!name.trim() || busy">Add the song</v-btn>
        <v-btn variant="text" @click="adding = false">Not now</v-btn>
      </form>
      <template v-else>
        <v-btn size="small" :disabled="busy" @click="adding = true">Add a song</v-btn>
        <v-btn size="small" :disabled="busy" @click="picker!.click()">Start a song from a MIDI file</v-btn>
      </template>
      <input ref="picker" type="file" accept=".mid,.midi,audio/midi" hidden @change="picked">
    </footer>
  </section>
</template>

<style scoped>
.job { padding: 14px 18px; }
header { display: flex; align-items: baseline; gap: 14px; margin-bottom: 8px; }
h2 { font-size: 21px; margin: 0; }
.due { color: #8f3f1b; font-weight: 600; font-size: 13px; }
.legend { margin-left: auto; display: flex; align-items: center; gap: 6px; font-size: 12px; color: var(--ink-2); }
.legend .cell { width: 14px; margin-left: 8px; --ink-of-part: var(--ink-2); }
.song { display: grid; grid-template-columns: 210px 1fr; gap: 18px; padding: 12px 0; border-top: 1px solid var(--rule-soft); align-items: start; }
.open { display: grid; color: var(--ink); text-decoration: none; padding: 4px 8px; margin: -4px -8px; border-radius: 8px; }
.open:hover { background: var(--copper-soft); }
.title { font-size: 17px; text-decoration: underline; text-decoration-color: var(--copper); text-underline-offset: 4px; text-decoration-thickness: 1px; }
.facts { font-size: 12px; color: var(--ink-2); }
.parts { display: grid; gap: 5px; }
.part { display: grid; grid-template-columns: 130px minmax(0, 1fr) 104px 60px; gap: 12px; align-items: center; font-size: 13px; }
.name { white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
.strip { display: flex; gap: 1.5px; height: 13px; }
.cell { flex: 1; min-width: 1px; height: 13px; border-radius: 2px; border: 1px solid var(--rule); background: transparent; display: inline-block; }
.legend .cell { flex: none; }
.cell.pencilled { background: #cfcbbf; border-color: #b9b5a8; }
.cell.inked { background: color-mix(in srgb, var(--ink-of-part) 45%, var(--sheet)); border-color: var(--ink-of-part); }
.cell.tidied { background: var(--ink-of-part); border-color: var(--ink-of-part); }
.share { color: var(--ink-2); font-size: 12px; white-space: nowrap; }
.none { margin: 6px 0; }
footer { display: flex; gap: 8px; padding-top: 12px; border-top: 1px solid var(--rule-soft); }
.new { display: grid; grid-template-columns: 1fr auto auto; gap: 8px; align-items: center; width: 100%; max-width: 560px; }
</style>
