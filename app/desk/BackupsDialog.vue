<script setup lang="ts">
import { byteWords } from '~~/core/vocabulary/byteWords';
import { many } from '~~/core/vocabulary/many';
import { computed, ref, watch } from 'vue';
import { ask, wordsOf, type Backup, type BackupSong, type DiskUse } from '~/api/api';
import { useNotices } from '~/notices/notices';

/** Backups that the program makes by itself, restoring from them, and the space on the disk. */
const open = defineModel<boolean>({ required: true });
const notices = useNotices();
const folder = ref('');
const backups = ref<readonly Backup[]>([]);
const disk = ref<DiskUse | null>(null);
const chosen = ref<string | null>(null);
const songs = ref<readonly BackupSong[]>([]);
const busy = ref(false);
const askedWhole = ref(false);
const trouble = ref('');

/** Runs one request at a time, and shows its error. */
async function attempt(work: () => Promise<void>): Promise<void> {
  busy.value = true;
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
  busy.value = false;
}
async function read(): Promise<void> {
  const said = await ask<{ folder: string; backups: Backup[]; disk: DiskUse }>('/api/backups');
  folder.value = said.folder;
  backups.value = said.backups;
  disk.value = said.disk;
}
watch(
  open,
  (now) => {
    chosen.value = null;
    if (now) void attempt(read);
  },
  { immediate: true },
);
const make = () =>
  attempt(async () => {
    await ask('/api/backups', {});
    await read();
  });
const choose = (name: string) =>
  attempt(async () => {
    askedWhole.value = false;
    songs.value = await ask<BackupSong[]>(`/api/backups/${name}`);
    chosen.value = name;
  });
const bringBack = (song: BackupSong) =>
  attempt(async () => {
    await ask(`/api/backups/${chosen.value}/restore`, { song: song.id });
    notices.say(`${song.title} is back beside what there was, as it was then.`, 'plain');
  });
async function bringBackWhole(): Promise<void> {
  if (!askedWhole.value) {
    askedWhole.value = true;
    return;
  }
  await attempt(async () => {
    await ask(`/api/backups/${chosen.value}/restore`, { song: null });
    notices.say('The whole desk is as it was then. What it was just before is the newest backup.', 'plain');
    chosen.value = null;
    await read();
  });
}

const when = (at: string): string =>
  new Date(at).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' });
const rows = computed((): readonly (readonly [string, string])[] => {
  const d = disk.value;
  if (!d) return [];
  return [
    ['Songs, takes and their history', byteWords(d.database)],
    [`Backings, ${many(d.audio.files, 'file')}`, byteWords(d.audio.bytes)],
    [`of these in no song and no history, ${many(d.unused.files, 'file')}: could be freed`, byteWords(d.unused.bytes)],
    [`Backups, ${d.backups.count}`, byteWords(d.backups.bytes)],
    ...(d.free === null ? [] : ([['Free on the disk', byteWords(d.free)]] as const)),
  ];
});
</script>

<template>
  <v-dialog v-model="open" max-width="760" aria-label="Backups">
    <v-card class="card">
      <h2>Backups</h2>
      <p class="quiet">
        One an hour while something changes, one a day for two weeks, one a week for half a year. They lie in
        <code>{{ folder }}</code>. For another disk: <code>npm run backup -- TO</code>
      </p>
      <p v-if="trouble" role="alert" class="trouble">{{ trouble }}</p>
      <div class="columns">
        <div class="list" role="group" aria-label="Backups by age">
          <Choice v-for="b in backups" :key="b.name" :on="chosen === b.name" @click="choose(b.name)"
            >{{ when(b.at) }} <span class="figures">{{ byteWords(b.bytes) }}</span></Choice
          >
          <p v-if="backups.length === 0" class="quiet">None yet. The first is made soon after something has changed.</p>
        </div>
        <div class="songs">
          <template v-if="chosen">
            <div v-for="s in songs" :key="s.id" class="song">
              <span
                ><b>{{ s.title }}</b> <span class="quiet">{{ s.job }}, {{ many(s.changes, 'change') }}</span></span
              >
              <v-btn size="small" :disabled="busy" :aria-label="`Bring back beside: ${s.title}`" @click="bringBack(s)"
                >Bring back beside</v-btn
              >
            </div>
            <v-btn size="small" :disabled="busy" class="whole" @click="bringBackWhole">{{
              askedWhole ? 'Yes, the whole desk as it was then' : 'Bring back the whole desk'
            }}</v-btn>
            <p v-if="askedWhole" class="quiet">
              Everything made since is no longer on the desk. It is kept as a backup that is made first.
            </p>
          </template>
          <p v-else class="quiet">Choose a backup to see the songs in it.</p>
        </div>
      </div>
      <h3>On the disk</h3>
      <v-table density="compact" aria-label="What lies on the disk">
        <tbody>
          <tr v-for="[what, much] in rows" :key="what">
            <td>{{ what }}</td>
            <td class="figures">{{ much }}</td>
          </tr>
        </tbody>
      </v-table>
      <div class="choices end">
        <v-btn :disabled="busy" @click="make">Back up now</v-btn>
        <v-btn variant="text" @click="open = false">Close</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 18px 22px;
  display: grid;
  gap: 10px;
}
h2 {
  font-size: 19px;
  margin: 0;
}
h3 {
  font-size: 14px;
  margin: 4px 0 0;
}
p {
  margin: 0;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
  gap: 16px;
}
.list,
.songs {
  display: grid;
  gap: 6px;
  align-content: start;
  max-height: 34vh;
  overflow: auto;
}
.song {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 10px;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--rule-soft);
}
.list .figures {
  margin-left: 10px;
}
.whole {
  justify-self: start;
}
.end {
  justify-content: end;
}
td:last-child {
  text-align: right;
}
</style>
