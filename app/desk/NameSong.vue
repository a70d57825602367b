<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { LONGEST_NAME } from '~~/core/vocabulary/limits';
import { wordsOf } from '~/api/api';
import { vFocus } from '~/controls/focus';
import { NO_JOB_YET, useDesk } from './desk';
import { useNotices } from '~/notices/notices';
import { useSong } from '~/song/song';

/** Asks for the name and job of a song that was begun by playing, from its first take on. */
const song = useSong();
const desk = useDesk();
const notices = useNotices();
const open = ref(false);
const title = ref('');
const job = ref('');
const busy = ref(false);
const isUnnamed = computed(
  () => song.job === NO_JOB_YET && (song.document?.parts.some((p) => p.takes.length > 0) ?? false),
);
const jobs = computed(() => desk.jobs.filter((j) => j.shelf === 'desk' && j.title !== NO_JOB_YET).map((j) => j.title));
watch(open, (is) => {
  if (!is) return;
  title.value = '';
  job.value = '';
  void desk.load();
});

async function name(): Promise<void> {
  busy.value = true;
  try {
    await desk.nameSong(title.value.trim(), job.value.trim());
    open.value = false;
  } catch (error) {
    notices.say(`${wordsOf(error)} The song keeps the name it has, with all that was played.`);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <Popup v-if="isUnnamed" v-model="open" label="Name this song" :width="300">
    <template #activator="{ props }"><v-btn v-bind="props" class="name-song" size="x-small">Name it</v-btn></template>
    <form class="form" @submit.prevent="name">
      <v-text-field v-model="title" label="Song title" v-focus :maxlength="LONGEST_NAME" />
      <v-text-field v-model="job" label="Job, new or on the Desk" list="jobs-on-the-desk" :maxlength="LONGEST_NAME" />
      <datalist id="jobs-on-the-desk"><option v-for="there in jobs" :key="there" :value="there" /></datalist>
      <v-btn type="submit" :disabled="!title.trim() || !job.trim() || busy">Keep the names</v-btn>
    </form>
  </Popup>
</template>

<style scoped>
.form {
  display: grid;
  gap: 10px;
  padding: 4px;
}
</style>
