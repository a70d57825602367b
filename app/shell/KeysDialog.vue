<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { ACTIONS } from '~~/core/performance/learned';
import { usePreferences } from '~/controls/preferences';
import { vFocus } from '~/controls/focus';
import { useKeyboards } from '~/keyboards/keyboards';
import { useTaught } from '~/keyboards/taught';
import { useSong } from '~/song/song';
import { openStandWindow } from '~/stand/standWindow';
import { ACTION_FACTS, keyWords } from '~/transport/actions';
import { useHands } from '~/transport/hands';
import { needsSong, stationPath, STATIONS } from './stations';

/** Everything that is asked for with one move, by name: its key, what was taught it, and itself at a press. */
const emit = defineEmits<{ stand: [] }>();
const open = defineModel<boolean>({ required: true });
const hands = useHands();
const keyboards = useKeyboards();
const taught = useTaught();
const preferences = usePreferences();
const song = useSong();
const route = useRoute();
const router = useRouter();
const wanted = ref('');
watch(open, () => {
  wanted.value = '';
});

interface Row {
  readonly name: string;
  readonly key: string;
  readonly taught?: string;
  readonly run?: () => void;
}
const rows = computed((): Row[] => {
  const key = (of: string): string => keyWords(of, keyboards.computerPlays);
  return [
    ...ACTIONS.map((action) => {
      const { name, key: own } = ACTION_FACTS[action];
      const run = song.document || action === 'panic' ? () => hands.act(action) : undefined;
      return { name, key: own ? key(own) : '', taught: taught.wordsOf(action), ...(run && { run }) };
    }),
    { name: 'Untreated, while it is held', key: key('b') },
    { name: 'The latest take is good, maybe, no', key: key('m') },
    { name: 'Bars to record, on Play: type them', key: '9 10 Enter' },
    { name: 'The brief, on Play: to its phrases, change one, open it', key: 'Tab ↑ ↓ Enter' },
    { name: 'The playhead to bar 1', key: 'Home' },
    { name: 'The stand: Play to be read from two metres away', key: key('s'), run: () => emit('stand') },
    { name: 'The stand in a window of its own, for a second screen', key: '', run: openStandWindow },
    { name: 'Lights down, or up', key: '', run: preferences.turnLights },
    ...STATIONS.filter(({ id }) => song.id !== null || !needsSong(id)).map(({ id, name, key: own }) => ({
      name: `To ${name}`,
      key: key(own),
      run: () => void router.push(stationPath(id, song.id)),
    })),
  ];
});
const found = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.value.filter((row) => words.every((w) => `${row.name} ${row.taught ?? ''}`.toLowerCase().includes(w)));
});
function run(row: Row | undefined): void {
  if (!row?.run) return;
  open.value = false;
  row.run();
}
watch(
  () => route.path,
  () => {
    open.value = false;
  },
);
</script>

<template>
  <v-dialog v-model="open" max-width="620" aria-label="Keys">
    <v-card class="keys">
      <form @submit.prevent="run(found.find((row) => row.run))">
        <SmallField v-model="wanted" v-focus aria-label="Find what to do" placeholder="Find what to do" />
      </form>
      <div class="list">
        <button v-for="row in found" :key="row.name" class="row" :disabled="!row.run" @click="run(row)">
          <span>{{ row.name }}</span>
          <span class="quiet">{{ row.taught }}</span>
          <kbd v-if="row.key">{{ row.key }}</kbd>
        </button>
        <p v-if="found.length === 0" class="quiet">Nothing is called “{{ wanted }}”.</p>
      </div>
      <p class="quiet">
        The roll, the lanes on Pick and the lists have more keys, each said where it works.
        <NuxtLink v-if="song.id" :to="`${stationPath('line-check', song.id)}?page=Hands-free`"
          >Teach a key or a pedal</NuxtLink
        >
      </p>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.keys {
  padding: 14px 16px;
  display: grid;
  gap: 8px;
}
.keys p {
  margin: 0;
  font-size: 13px;
}
.list {
  height: 420px;
  overflow: auto;
}
.row {
  display: grid;
  grid-template-columns: 1fr auto 110px;
  gap: 10px;
  width: 100%;
  padding: 5px 6px;
  text-align: left;
  border-radius: 6px;
}
.row:enabled:hover {
  background: var(--rule-soft);
}
.row kbd {
  text-align: right;
}
</style>
