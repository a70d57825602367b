<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref, watch } from 'vue';
import type { Brought, Way } from '~~/server/archive/bring';
import type { Waiting } from '~~/server/archive/uploads';
import { ask, sendBytes, wordsOf } from '~/api/api';
import { useNotices } from '~/notices/notices';
import { useDesk } from './desk';

/** Import of a job's archive: what of it is intact, and what to do with a job that exists already. */
const file = defineModel<File | null>({ required: true });
const desk = useDesk();
const notices = useNotices();
const archive = ref<Waiting | null>(null);
const trouble = ref('');
const busy = ref(false);
const open = computed({
  get: () => file.value !== null,
  set: (on) => {
    if (!on) close();
  },
});

watch(file, async (now) => {
  archive.value = null;
  trouble.value = '';
  if (!now) return;
  busy.value = true;
  const sent = await sendBytes<Waiting>('/api/archives', now).catch((error: unknown) => {
    trouble.value = `${now.name}: ${wordsOf(error)}`;
    return null;
  });
  busy.value = false;
  // An answer for a file that was dropped meanwhile is ignored.
  if (file.value === now) archive.value = sent;
  else if (sent) letGo(sent.id);
});
const letGo = (id: string): void => {
  // An upload that cannot be deleted now is deleted when the server starts.
  void ask(`/api/archives/${id}`, undefined, 'DELETE').catch(() => {});
};
function close(): void {
  if (archive.value) letGo(archive.value.id);
  file.value = null;
}
const listed = (titles: readonly string[]): string => titles.join(', ');
async function bring(way: Way): Promise<void> {
  busy.value = true;
  try {
    const brought = await ask<Brought>(`/api/archives/${archive.value!.id}/bring`, { way });
    archive.value = null;
    file.value = null;
    await desk.load();
    const same = brought.same.length > 0 ? ` ${listed(brought.same)} is here already, just like that.` : '';
    const came = brought.came.length > 0 ? `Came: ${listed(brought.came)}.` : 'Nothing new came.';
    const refused = brought.refused.length > 0 ? ` Could not be put in: ${listed(brought.refused)}.` : '';
    notices.say(`${brought.title}. ${came}${same}${refused}`, refused ? 'attention' : 'plain');
  } catch (error) {
    trouble.value = `${wordsOf(error)} What is on the desk is as it was.`;
  }
  busy.value = false;
}
const heading = computed(() => archive.value?.job ?? 'A job’s archive');
/** Names of an archive's files mean little to a player: many of one kind are counted. */
const damage = computed(() => {
  const counted = new Map<string, number>();
  for (const { words } of archive.value?.damage ?? []) counted.set(words, (counted.get(words) ?? 0) + 1);
  return [...counted].map(([words, times]) => (times > 1 ? `${words}, ${times} times` : words));
});
</script>

<template>
  <v-dialog v-model="open" max-width="560" aria-label="An archive">
    <v-card class="card">
      <h2>{{ heading }}</h2>
      <p v-if="trouble" role="alert" class="trouble">{{ trouble }}</p>
      <p v-else-if="!archive" class="quiet" role="status">Reading every byte of the archive …</p>
      <template v-if="archive">
        <p v-if="archive.client" class="quiet">for {{ archive.client }}</p>
        <p v-if="archive.songs.length > 0">{{ many(archive.songs.length, 'song') }}: {{ listed(archive.songs) }}</p>
        <p v-else>No song in it is whole.</p>
        <div v-if="damage.length > 0" role="alert">
          <p class="trouble">It is damaged. All else in it is whole, and comes:</p>
          <ul>
            <li v-for="words in damage" :key="words">{{ words }}</li>
          </ul>
          <details class="quiet">
            <summary>Which files</summary>
            <ul>
              <li v-for="d in archive.damage" :key="d.file">
                <code>{{ d.file }}</code>
              </li>
            </ul>
          </details>
        </div>
        <p v-if="archive.there">
          {{ archive.there }} is here already. Nothing of it is written over: the archive comes beside it, or its songs
          are joined to those that are here, each that differs beside its other self.
        </p>
      </template>
      <div class="choices">
        <template v-if="archive && archive.songs.length > 0">
          <template v-if="archive.there">
            <v-btn :disabled="busy" @click="bring('beside')">Another job beside it</v-btn>
            <v-btn :disabled="busy" @click="bring('merge')">Join its songs</v-btn>
          </template>
          <v-btn v-else :disabled="busy" @click="bring('beside')">Bring it in</v-btn>
        </template>
        <v-btn variant="text" @click="close">{{ archive ? 'Not now' : 'Close' }}</v-btn>
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
h2,
p,
ul {
  margin: 0;
}
ul {
  padding-left: 20px;
  font-size: 13px;
}
.trouble {
  color: var(--copper-ink);
  font-weight: 600;
}
details ul {
  max-height: 140px;
  overflow: auto;
}
</style>
