<script setup lang="ts">
import { onMounted, ref } from 'vue';
import { useRouter } from 'vue-router';
import { stationPath } from '~/utils/stations';
import { wordsOf } from '~/utils/api';
import { useDesk } from '~/stores/desk';
import { useNotices } from '~/stores/notices';

const LICENCES = { Fraunces: 'fraunces', Figtree: 'figtree', 'Spline Sans Mono': 'spline-sans-mono', FluidR3Mono: 'fluidr3mono' } as const;

const desk = useDesk();
const notices = useNotices();
const router = useRouter();
const title = ref('');
const client = ref('');
const due = ref('');
const adding = ref(false);
const busy = ref(false);

onMounted(() => desk.load());

/** Does something with the server, and says what went wrong when it does. */
async function attempt(what: () => Promise<void>): Promise<void> {
  busy.value = true;
  await what().catch((error) => notices.say(wordsOf(error)));
  busy.value = false;
}

const addJob = () => attempt(async () => {
  await desk.addJob(title.value, client.value, due.value || null);
  title.value = client.value = due.value = '';
  adding.value = false;
});
const openSong = (id: string) => router.push(stationPath('play', id));
const addSong = (jobId: string, name: string) => attempt(async () => { await openSong(await desk.addSong(jobId, name)); });
const addFile = (jobId: string, file: File) => attempt(async () => {
  try {
    await openSong(await desk.addSongFromFile(jobId, file));
  } catch (error) {
    throw new Error(`${file.name}: ${wordsOf(error)} No song was made of it, and nothing else was changed.`);
  }
});
</script>

<template>
  <div class="page">
    <div v-if="desk.state === 'loading'" class="quiet" role="status">Laying out the desk</div>
    <div v-else-if="desk.state === 'failed'" class="state" role="alert">
      <h2>The desk is not there</h2>
      <p>{{ desk.trouble }}</p>
      <v-btn @click="desk.load()">Try again</v-btn>
    </div>
    <template v-else>
      <section v-if="desk.jobs.length === 0" class="sheet empty">
        <h2>An empty desk</h2>
        <p class="quiet">A job is what a client asked for: a title and some songs. Each part of a song is a strip of bars that fills as you play.</p>
        <div class="strip" aria-hidden="true"><i v-for="n in 32" :key="n" /></div>
        <ol>
          <li>Take on a job.</li>
          <li>Add a song, or start one from a MIDI file.</li>
          <li>Press Record and play: a MIDI keyboard, the computer’s keys, or the strip at the foot of the page.</li>
        </ol>
      </section>
      <JobCard v-for="job in desk.jobs" :key="job.id" :job="job" :busy="busy" @open="openSong" @add="(name) => addSong(job.id, name)" @file="(file) => addFile(job.id, file)" />
      <v-btn v-if="!adding" class="take" @click="adding = true">Take on a job</v-btn>
      <form v-else class="sheet new" @submit.prevent="addJob">
        <v-text-field v-model="title" label="Title" autofocus required maxlength="120" />
        <v-text-field v-model="client" label="Client" maxlength="120" />
        <v-text-field v-model="due" label="Due" type="date" />
        <v-btn type="submit" :disabled="!title.trim() || busy">Take it on</v-btn>
        <v-btn variant="text" @click="adding = false">Not now</v-btn>
      </form>
      <p class="licences">
        Fonts and sounds ship with the program under free licences:
        <a v-for="(file, name) in LICENCES" :key="name" :href="`/licences/${file}.txt`" target="_blank">{{ name }}</a>
      </p>
    </template>
  </div>
</template>

<style scoped>
.page { display: grid; gap: 14px; align-content: start; }
.state { padding: 24px 6px 8px; max-width: 560px; display: grid; gap: 8px; justify-items: start; }
.state p { margin: 0; }
.empty { padding: 22px 26px; display: grid; gap: 12px; max-width: 760px; }
.empty h2, .empty p { margin: 0; }
.empty ol { margin: 0; padding-left: 20px; line-height: 1.9; }
.strip { display: flex; gap: 2px; }
.strip i { flex: 1; height: 16px; border: 1px solid var(--rule); border-radius: 2px; }
.take { justify-self: start; background: var(--sheet); }
.licences { font-size: 12px; color: var(--ink-2); margin: 6px 2px; }
.licences a { color: var(--copper); margin-left: 8px; }
.new { display: grid; grid-template-columns: 2fr 2fr 1fr auto auto; gap: 10px; padding: 14px; align-items: center; }
</style>
