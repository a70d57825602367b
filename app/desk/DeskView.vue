<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue';
import { useRouter } from 'vue-router';
import { stationPath } from '~/shell/stations';
import { wordsOf } from '~/api/api';
import { useFileDrop } from '~/controls/useFileDrop';
import { useBackings } from '~/backings/backings';
import { isJobArchive, sortOut, unpacked } from '~/backings/clientFiles';
import { useDesk, type JobFacts, type Shelf, type Sort } from './desk';
import { useNotices } from '~/notices/notices';

const LICENCES = {
  Fraunces: 'fraunces',
  Figtree: 'figtree',
  'Spline Sans Mono': 'spline-sans-mono',
  FluidR3Mono: 'fluidr3mono',
  'the grand, by Alexander Holm': 'grand',
} as const;

const desk = useDesk();
const backings = useBackings();
const notices = useNotices();
const router = useRouter();
const adding = ref(false);
const busy = ref(false);
/** True while the backups are shown. */
const safe = ref(false);
/** Archive that is being imported. */
const archive = ref<File | null>(null);
const picker = ref<HTMLInputElement | null>(null);
function pickedArchive(): void {
  archive.value = picker.value?.files?.[0] ?? null;
  picker.value!.value = '';
}

onMounted(() => {
  desk.looked = true;
  void desk.load();
});
onBeforeUnmount(() => {
  desk.looked = false;
});

/** Runs a request, and shows its error. */
async function attempt(what: () => Promise<unknown>): Promise<void> {
  busy.value = true;
  await what().catch((error) => notices.say(wordsOf(error)));
  busy.value = false;
}

const addJob = (facts: JobFacts) =>
  attempt(async () => {
    await desk.addJob(facts);
    adding.value = false;
  });
const playNow = () => attempt(async () => openSong(await desk.playNow()));
const openSong = (id: string) => router.push(stationPath('play', id));
const addSong = (jobId: string, name: string) =>
  attempt(async () => {
    await openSong(await desk.addSong(jobId, name));
  });

/**
 * Makes a song from files: one MIDI file becomes its takes, a score its form, and other files its backings. An archive
 * of a job is opened in its dialog. Files of no use make no song.
 */
const addFiles = (jobOf: () => Promise<string | undefined>, dropped: readonly File[]) =>
  attempt(async () => {
    if (await isJobArchive(dropped[0])) {
      archive.value = dropped[0]!;
      return;
    }
    const files = await unpacked(dropped);
    const [first] = files;
    if (!first) throw new Error('There is no file in it. No song was made.');
    const isScore = files.length === 1 && /\.(music)?xml$|\.mxl$/i.test(first.name);
    const { good, bad } = isScore ? { good: files, bad: [] } : await sortOut(files);
    if (good.length === 0) throw new Error(`${bad.join(' ')} No song was made, and nothing else was changed.`);
    const jobId = await jobOf();
    if (!jobId) return;
    if (files.length === 1 && /\.midi?$/i.test(first.name)) {
      try {
        await openSong(await desk.addSongFromFile(jobId, first));
      } catch (error) {
        throw new Error(`${first.name}: ${wordsOf(error)} No song was made of it, and nothing else was changed.`);
      }
      return;
    }
    if (isScore) {
      try {
        const { id, left } = await desk.addSongFromScore(jobId, first);
        await router.push(`/songs/${encodeURIComponent(id)}/set-up`);
        if (left.length > 0) notices.say(`${first.name}: ${left.join('; ')}. The rest of its form is here.`);
      } catch (error) {
        throw new Error(`${first.name}: ${wordsOf(error)} No song was made of it, and nothing else was changed.`);
      }
      return;
    }
    const title = good[0]!.name.replace(/\.[a-z0-9]{2,5}$/i, '').slice(0, 120) || 'Untitled';
    const id = await desk.addSong(jobId, title);
    backings.bringInto(id, files);
    await router.push(`/songs/${encodeURIComponent(id)}/set-up`);
  });
/** Files dropped beside the jobs go to the only job; with none they start one. */
const page = ref<HTMLElement | null>(null);
async function onlyJob(): Promise<string | undefined> {
  const here = () => desk.jobs.filter((j) => j.shelf === 'desk');
  if (here().length > 1) {
    notices.say('There are several jobs on the desk. Drop the files on the one they belong to.');
    return undefined;
  }
  if (here().length === 0) await desk.addJob({ title: 'New job', client: '', due: null, notes: '' });
  return here()[0]?.id;
}
const { over } = useFileDrop(page, (files) => void addFiles(onlyJob, files));
/** Approximate height of a job card in pixels, and how many are rendered at once. */
const JOB_PX = 240;
const AT_ONCE = 4;
const SHELF_NAMES: Readonly<Record<Shelf, string>> = { desk: 'On the desk', away: 'Put away', deleted: 'Deleted' };
const SORT_NAMES: Readonly<Record<Sort, string>> = { due: 'by due date', newest: 'newest first', title: 'by title' };
</script>

<template>
  <div ref="page" class="page" :class="{ over }">
    <div v-if="desk.state === 'loading'" class="quiet" role="status">Laying out the desk</div>
    <div v-else-if="desk.state === 'failed'" class="state" role="alert">
      <h2>The desk is not there</h2>
      <p>{{ desk.trouble }}</p>
      <v-btn @click="desk.load()">Try again</v-btn>
    </div>
    <template v-else>
      <section v-if="desk.jobs.length === 0" class="sheet empty">
        <h2>An empty desk</h2>
        <p class="quiet">
          Play now has a piano and a click ready. Press Record there, and play: on a MIDI keyboard, the computer’s keys,
          or the strip at the foot of the page. Everything you play is kept, and gets its name once it is worth one.
        </p>
        <div class="strip" aria-hidden="true"><i v-for="n in 32" :key="n" /></div>
        <div class="begin">
          <v-btn class="now" :disabled="busy" @click="playNow">Play now</v-btn>
          <v-btn v-if="!adding" variant="text" @click="adding = true">Take on a job</v-btn>
        </div>
        <p class="quiet">
          A job is what a client asked for: a title and some songs. The client’s files can be dropped here as well: a
          mix, a click, a MIDI file, a score.
        </p>
      </section>
      <div v-else class="tools">
        <v-text-field
          v-model="desk.search"
          label="Look for a job, a song or a part"
          clearable
          @click:clear="desk.search = ''"
        />
        <ChoiceGroup label="Shelf">
          <Choice v-for="(label, key) in SHELF_NAMES" :key="key" :on="desk.shelf === key" @click="desk.shelf = key">{{
            label
          }}</Choice>
        </ChoiceGroup>
        <ChoiceGroup label="Order">
          <Choice v-for="(label, key) in SORT_NAMES" :key="key" :on="desk.sort === key" @click="desk.sort = key">{{
            label
          }}</Choice>
        </ChoiceGroup>
        <div class="begin">
          <v-btn class="take" :disabled="busy" @click="playNow">Play now</v-btn>
          <v-btn v-if="!adding" class="take" @click="adding = true">Take on a job</v-btn>
        </div>
      </div>
      <section v-if="adding" class="sheet new">
        <JobForm :busy="busy" submit="Take it on" @save="addJob" @cancel="adding = false" />
      </section>
      <InSight
        v-for="(job, i) in desk.shown"
        v-memo="[job, busy]"
        :key="job.id"
        :height="JOB_PX"
        :at-once="i < AT_ONCE"
      >
        <JobCard
          :job="job"
          :busy="busy"
          @add="(name) => addSong(job.id, name)"
          @files="(files) => addFiles(async () => job.id, files)"
          @save="(facts) => attempt(() => desk.setJob(job.id, facts))"
          @put="(to) => attempt(() => desk.put('jobs', job, to))"
          @duplicate="attempt(() => desk.duplicate('jobs', job.id))"
          @save-song="(id, facts) => attempt(() => desk.setSong(id, facts))"
          @put-song="(song, to) => attempt(() => desk.put('songs', song, to))"
          @duplicate-song="(id) => attempt(() => desk.duplicate('songs', id))"
        />
      </InSight>
      <p v-if="desk.jobs.length > 0 && desk.shown.length === 0" class="quiet none">
        {{ desk.search ? 'Nothing here has these words.' : `Nothing is ${SHELF_NAMES[desk.shelf].toLowerCase()}.` }}
      </p>
      <p class="licences">
        <v-btn size="small" variant="text" @click="safe = true">Backups and disk</v-btn>
        <v-btn size="small" variant="text" @click="picker!.click()">Bring in an archive</v-btn>
        <input ref="picker" type="file" accept=".zip,application/zip" hidden @change="pickedArchive" />
        Fonts and sounds ship with the program under free licences:
        <a v-for="(file, name) in LICENCES" :key="name" :href="`/licences/${file}.txt`" target="_blank">{{ name }}</a>
      </p>
      <BackupsDialog v-model="safe" />
      <ArchiveDialog v-model="archive" />
    </template>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  gap: 14px;
  align-content: start;
  min-height: 100%;
}
.page.over {
  outline: 2px dashed var(--copper);
  outline-offset: -2px;
}
.state {
  padding: 24px 6px 8px;
  max-width: 560px;
  display: grid;
  gap: 8px;
  justify-items: start;
}
.state p {
  margin: 0;
}
.empty {
  padding: 22px 26px;
  display: grid;
  gap: 12px;
  max-width: 760px;
}
.empty h2,
.empty p {
  margin: 0;
}
.now {
  background: var(--ink);
  color: var(--sheet);
}
.begin {
  display: flex;
  gap: 8px;
  align-items: center;
}
.strip {
  display: flex;
  gap: 2px;
}
.strip i {
  flex: 1;
  height: 16px;
  border: 1px solid var(--rule);
  border-radius: 2px;
}
.take {
  justify-self: start;
  background: var(--sheet);
}
/* A hidden field has its place here. */
.licences {
  position: relative;
  font-size: 12px;
  color: var(--ink-2);
  margin: 6px 2px;
}
.licences a {
  color: var(--copper-ink);
  margin-left: 8px;
}
.new {
  padding: 14px;
}
.tools {
  display: grid;
  grid-template-columns: minmax(180px, 1fr) auto auto auto;
  gap: 14px;
  align-items: center;
}
.none {
  margin: 12px 4px;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .tools {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
