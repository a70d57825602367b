<script setup lang="ts">
import { computed, onMounted, watch } from 'vue';
import { mdiFolderOutline, mdiTrayArrowDown, mdiZipBoxOutline } from '@mdi/js';
import type { PlannedFile } from '~~/core/handover/files';
import { forClient } from '~~/core/handover/clientText';
import { standingFrom, standingWords } from '~~/core/handover/deliveryProgress';
import { saveBytes } from '~/controls/save';
import { TOKENS } from '~/drawing/inks';
import { leftWords } from '~/notices/howFar';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useDelivery } from './delivery';
import { useFileRows } from './useFileRows';
import { canWriteFolders } from './folder';
import { useRun } from './run';

/** Station where files are checked, made, handed over and remembered. */
const song = useSong();
const openSong = useOpenSong();
const out = useDelivery();
const run = useRun();
const { rows, midiBytes } = useFileRows();

onMounted(() => void out.load());
watch(
  () => song.id,
  () => void out.load(),
);
/** Another window may have handed over meanwhile. */
const handed = computed(() => Math.max(0, ...openSong.document.parts.map((p) => p.handed?.version ?? 0)));
watch(handed, (version) => {
  if (version > (out.versions.at(-1)?.number ?? 0)) void out.load();
});
/** Text of the song that the files were made of. A song with the same text is the same to a client. */
let madeOf = '';
watch(
  () => run.run?.id,
  () => {
    madeOf = run.run ? forClient(openSong.document) : '';
  },
);
watch(
  () => song.document,
  (now) => {
    const lies = run.run && !run.run.again && !run.run.handed;
    if (now && lies && forClient(now) !== madeOf) run.forget();
  },
);

const ready = computed(() => run.run?.state === 'ready');
const making = computed(() => run.run?.state === 'making');
const percent = computed(() => Math.round((run.run?.done ?? 0) * 100));
const left = computed(() => {
  const seconds = run.run?.secondsLeft;
  return seconds === null || seconds === undefined ? '' : leftWords(seconds);
});
const inkOf = (file: PlannedFile): string => {
  const alone = file.type === 'midi' && file.parts.length === 1 ? file.parts[0] : undefined;
  const id = file.type === 'audio' ? file.part : alone;
  const part = openSong.document.parts.find((p) => p.id === id);
  return part ? TOKENS[part.ink] : 'transparent';
};
const labelOf = (file: PlannedFile): string => {
  if (file.type !== 'midi') return file.name;
  const part = openSong.document.parts.find((p) => p.id === file.parts[0])!.name;
  return (file.parts.length > 1 || out.delivery.midi === 'together' ? 'all' : part) + (file.played ? ' as played' : '');
};
/** Saves one MIDI file, to look at it before anything goes out. */
function save(file: PlannedFile): void {
  const bytes = midiBytes(file);
  if (bytes) saveBytes(file.name, bytes, 'audio/midi');
}
const folders = canWriteFolders();
async function intoFolder(): Promise<void> {
  const folder = await run.chooseFolder();
  if (folder) await out.handOver(() => run.saveFolder(folder));
}
/** Parts that are made this time. A press selects one alone, or adds it to the selection. */
const chosen = computed((): readonly string[] => (typeof out.which === 'string' ? [] : out.which));
function choosePart(id: string): void {
  const now = chosen.value.includes(id) ? chosen.value.filter((p) => p !== id) : [...chosen.value, id];
  // The last selected part stays selected, so that a double click counts as one click.
  if (now.length > 0) out.choose(now);
}
const someChanged = computed(() => out.changed !== null && !out.isSame && out.changed.song.length === 0);
const none = computed(() => {
  if (out.all.length === 0) return 'Every part is left out: choose in the sentence which go out.';
  if (out.played.length === 0) return 'Nothing is played yet, so there is nothing to hand over.';
  return out.going.length === 0 ? 'Nothing of it has changed: choose what goes out this time.' : '';
});
const standing = computed(() =>
  standingFrom(out.played.length, out.open.length, out.versions.at(-1)?.number ?? 0, out.isSame),
);
const isGood = computed(() => standing.value.state === 'ready' || standing.value.state === 'handed over');
const levelled = computed(() => rows.value.some((row) => row.peak));
const title = computed(() => {
  if (run.run?.again) return `Version ${run.run.version}, as it went out`;
  return run.run?.handed ? `Version ${run.run.version}, handed over` : `Files of version ${out.nextVersion}`;
});
const allWords = computed(() => (out.played.length === 2 ? 'Both parts' : `All ${out.played.length} parts`));
const canMake = computed(() => !run.busy && out.state === 'ready' && out.going.length > 0);
const canGo = computed(() => !run.busy && (run.run?.handed === true || (canMake.value && out.open.length === 0)));
const gives = computed(() => (run.run?.handed ? 'Save' : 'Hand over'));
</script>

<template>
  <div class="over">
    <section class="brief sheet" aria-label="Delivery">
      <span class="label">Delivery</span>
      <p v-if="out.state === 'loading'" class="sentence names quiet">Looking up what this client gets …</p>
      <p v-else-if="out.state === 'failed'" class="sentence names">
        What this client gets could not be read: {{ out.trouble }}
        <v-btn size="small" @click="out.load()">Try again</v-btn>
      </p>
      <DeliverySentence v-else />
      <div class="beside">
        <DeliveryPresets />
        <span class="state" :class="{ good: isGood }" role="status">{{
          standingWords(standing) || 'Nothing to hand over'
        }}</span>
      </div>
    </section>

    <section class="sheet files" aria-label="Files">
      <header>
        <h2 class="names">{{ title }}</h2>
        <div class="acts">
          <template v-if="making || run.writing">
            <v-btn size="small" @click="run.stop()">Stop</v-btn>
          </template>
          <template v-else>
            <v-btn v-if="ready" size="small" variant="text" @click="run.forget()">Discard them</v-btn>
            <v-btn v-else :disabled="!canMake" @click="out.make()">Make the files</v-btn>
            <v-btn v-if="folders" :disabled="!canGo" :prepend-icon="mdiFolderOutline" @click="intoFolder()"
              >{{ gives }} into a folder</v-btn
            >
            <v-btn :disabled="!canGo" :prepend-icon="mdiZipBoxOutline" @click="out.handOver(run.saveZip)"
              >{{ gives }} as a zip</v-btn
            >
          </template>
        </div>
      </header>
      <div v-if="out.played.length > 1 && !ready && out.state === 'ready'" class="once">
        <span class="quiet">This time</span>
        <ChoiceGroup label="What is made this time">
          <Choice :on="out.which === 'all'" :disabled="run.busy" @click="out.choose('all')">{{ allWords }}</Choice>
          <Choice v-if="someChanged" :on="out.which === 'changed'" :disabled="run.busy" @click="out.choose('changed')"
            >Only what changed</Choice
          >
          <Choice
            v-for="p in out.played"
            :key="p.id"
            :on="chosen.includes(p.id)"
            :disabled="run.busy"
            @click="choosePart(p.id)"
            >{{ p.name }}</Choice
          >
        </ChoiceGroup>
      </div>
      <p v-if="run.trouble" class="trouble" role="alert">{{ run.trouble }}</p>
      <p v-else-if="ready && run.run!.differ.length > 0" class="trouble" role="alert">
        Not as it went out: {{ run.run!.differ.join(', ') }}. The program has changed since; the notes are the same.
      </p>
      <p v-else-if="ready && run.run!.again" class="quiet line">Every file is the same as it was, byte for byte.</p>
      <p v-else-if="!run.run?.handed && !making && out.going.length > 0 && out.open.length > 0" class="quiet line">
        {{ ready ? 'They are made. They go out' : 'They can be made and heard. They go out' }} once what is left is
        mended or accepted.
      </p>
      <p v-else-if="ready && run.run!.handed" class="quiet line">It is remembered, and can be saved once more.</p>
      <div v-if="making" class="making" role="status">
        <v-progress-linear
          :model-value="percent"
          color="primary"
          height="6"
          rounded
          aria-label="How far the files are"
        />
        <span class="figures">{{ percent }}%</span><span class="quiet">{{ left }}</span>
      </div>
      <div v-else-if="run.writing" class="making" role="status">
        <v-progress-linear
          :model-value="(100 * run.writing.done) / run.writing.of"
          color="primary"
          height="6"
          rounded
          aria-label="How many files are written"
        />
        <span class="figures">{{ run.writing.done }} of {{ run.writing.of }}</span>
      </div>
      <p v-if="none" class="quiet line">
        {{ none }}
        <NuxtLink
          v-if="out.all.length > 0 && out.played.length === 0"
          class="onward"
          :to="`/songs/${encodeURIComponent(song.id!)}/play`"
          >Play a part</NuxtLink
        >
      </p>
      <div v-else class="scroll" tabindex="0" role="region" aria-label="List of files">
        <v-table density="compact" aria-label="Files of the delivery">
          <thead>
            <tr>
              <th>File</th>
              <th v-if="!levelled">What</th>
              <th>Length</th>
              <th>Size</th>
              <th v-if="levelled">Loudness</th>
              <th v-if="levelled">True peak</th>
              <th><span class="unseen">Save</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.file.name">
              <td class="name"><i :style="{ background: inkOf(row.file) }" />{{ row.file.name }}</td>
              <td v-if="!levelled" class="quiet">{{ row.what }}</td>
              <td class="figures">{{ row.length }}</td>
              <td class="figures">{{ row.size }}</td>
              <td v-if="levelled" class="figures">{{ row.loudness }}</td>
              <td v-if="levelled" class="figures" :class="{ clips: row.clips }">{{ row.peak }}</td>
              <td>
                <v-btn
                  v-if="row.file.type === 'midi' && !run.run?.handed"
                  size="x-small"
                  variant="text"
                  :icon="mdiTrayArrowDown"
                  :aria-label="`Save ${labelOf(row.file)}`"
                  @click="save(row.file)"
                />
              </td>
            </tr>
          </tbody>
        </v-table>
      </div>
    </section>

    <aside class="side">
      <CheckList />
      <VersionList />
    </aside>
  </div>
</template>

<style scoped>
.over {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) 330px;
  gap: 10px 16px;
  height: 100%;
}
.over > :first-child {
  grid-column: 1 / -1;
}
/* Three lines have room: what is chosen this time moves nothing below. */
.brief {
  min-height: 102px;
}
.beside {
  margin-left: auto;
  display: grid;
  gap: 5px;
  justify-items: end;
  align-self: center;
  flex: none;
}
.state {
  font-size: 13px;
  font-weight: 600;
  white-space: nowrap;
  color: var(--copper-ink);
}
.state.good {
  color: var(--moss);
}
.files {
  padding: 12px 16px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 12px;
}
h2 {
  font-size: 18px;
  margin: 0;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.once {
  display: flex;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.once > span {
  flex: none;
}
.line {
  margin: 0;
  font-size: 13px;
}
.making {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 10px;
  align-items: center;
  font-size: 13px;
}
/* The table is as wide as there is room, and is scrolled in it. */
.scroll {
  overflow: auto;
  min-height: 0;
  width: 0;
  min-width: 100%;
}
.files :deep(table) {
  font-size: 13px;
}
.files th {
  font-size: 11px;
  letter-spacing: 0.09em;
  text-transform: uppercase;
  color: var(--ink-2);
  font-weight: 400;
}
.files td.figures {
  font-size: 12px;
  white-space: nowrap;
}
.files td:last-child {
  text-align: right;
  width: 36px;
}
.files :deep(td),
.files :deep(th) {
  padding: 0 10px 0 0;
}
.name {
  max-width: 370px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.name i {
  display: inline-block;
  width: 4px;
  height: 14px;
  border-radius: 2px;
  margin-right: 8px;
  vertical-align: -2px;
}
.clips {
  color: var(--copper-ink);
  font-weight: 600;
}
.side {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
  align-content: start;
  min-height: 0;
  overflow: auto;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .over {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
  .over > * {
    min-width: 0;
  }
  .brief,
  header {
    flex-wrap: wrap;
  }
}
</style>
