<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useEventListener } from '@vueuse/core';
import { ACTIONS, type Action } from '~~/core/performance/learned';
import { usePreferences } from '~/controls/preferences';
import { vFocus } from '~/controls/focus';
import { useKeyboards } from '~/keyboards/keyboards';
import { useTaught } from '~/keyboards/taught';
import { useSong } from '~/song/song';
import { openStandWindow } from '~/stand/standWindow';
import { vHint } from '~/controls/hint';
import { useActionKeys } from '~/transport/actionKeys';
import { ACTION_FACTS, keyWords } from '~/transport/actions';
import { shortcutName } from './useShortcuts';
import { useHands } from '~/transport/performAction';
import { needsSong, stationPath, STATIONS } from './stations';

/** List of all actions: name, computer key, taught key, and a button. */
const emit = defineEmits<{ stand: []; notes: []; sheet: [] }>();
const open = defineModel<boolean>({ required: true });
const hands = useHands();
const keyboards = useKeyboards();
const taught = useTaught();
const keys = useActionKeys();
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
  /** Action whose key can be changed. */
  readonly action?: Action;
}
const rows = computed((): Row[] => {
  const key = (of: string): string => keyWords(of, keyboards.computerPlays);
  return [
    ...ACTIONS.map((action) => {
      const { name } = ACTION_FACTS[action];
      const run = song.document || action === 'panic' ? () => hands.act(action) : undefined;
      return { name, key: keys.wordsOf(action), action, taught: taught.wordsOf(action), ...(run && { run }) };
    }),
    { name: 'Untreated, while it is held', key: key('b') },
    { name: 'The latest take is good, maybe, no', key: key('m') },
    { name: 'Bars to record, on Play: type them', key: '9 10 Enter' },
    { name: 'The brief, on Play: to its phrases, change one, open it', key: 'Tab ↑ ↓ Enter' },
    { name: 'The playhead to bar 1', key: 'Home' },
    { name: 'The stand: Play to be read from two metres away', key: key('s'), run: () => emit('stand') },
    { name: 'The stand in a window of its own, for a second screen', key: '', run: openStandWindow },
    ...(song.document ? [{ name: 'The client’s notes', key: key('shift+n'), run: () => emit('notes') }] : []),
    ...(song.document ? [{ name: 'The client’s sheet', key: key('shift+p'), run: () => emit('sheet') }] : []),
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
/** Action whose key is being changed: the next key pressed becomes its key. */
const changing = ref<Action | null>(null);
const outcome = ref('');
// Closing the list ends the change.
watch(open, () => {
  changing.value = null;
  outcome.value = '';
});
function press(event: KeyboardEvent): void {
  const action = changing.value;
  if (!action || /^(Shift|Control|Alt|Meta)$/.test(event.key)) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  changing.value = null;
  if (event.key === 'Escape') return;
  const isNone = event.key === 'Backspace' || event.key === 'Delete';
  const came = keys.give(action, isNone ? '' : shortcutName(event));
  const { name } = ACTION_FACTS[action];
  if (came.type === 'refused') outcome.value = came.why;
  else if (came.from)
    outcome.value = `${keys.wordsOf(action)} is ${name} now. ${ACTION_FACTS[came.from].name} has no key.`;
  else outcome.value = isNone ? `${name} has no key now.` : `${keys.wordsOf(action)} is ${name} now.`;
}
useEventListener('keydown', press, { capture: true });

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
        <div v-for="row in found" :key="row.name" class="row">
          <button class="run" :disabled="!row.run" @click="run(row)">
            <span>{{ row.name }}</span>
            <span class="quiet">{{ row.taught }}</span>
          </button>
          <button
            v-if="row.action"
            class="change"
            :aria-label="`Key of ${row.name}: ${row.key || 'none'}. Change it`"
            v-hint="'Change the key'"
            @click="changing = row.action"
          >
            <span v-if="changing === row.action" class="learning" role="status">Press a key</span>
            <kbd v-else>{{ row.key || 'none' }}</kbd>
          </button>
          <kbd v-else class="change">{{ row.key }}</kbd>
        </div>
        <p v-if="found.length === 0" class="quiet">Nothing is called “{{ wanted }}”.</p>
      </div>
      <p v-if="changing" class="quiet" role="status">
        The next key is that of {{ ACTION_FACTS[changing].name }}. Backspace: none. Esc: as it was.
      </p>
      <p v-else-if="outcome" role="status">{{ outcome }}</p>
      <p class="quiet">
        A key is changed by pressing it here.
        <button v-if="keys.isChanged" class="onward" @click="keys.reset()">All keys as they came</button>
        The roll, the lanes on Pick and the lists have more keys, each said where it works.
        <NuxtLink v-if="song.id" class="onward" :to="`${stationPath('line-check', song.id)}?page=Hands-free`"
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
  grid-template-columns: 1fr 110px;
}
.run,
.change {
  padding: 5px 6px;
  border-radius: 6px;
}
.run {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  text-align: left;
}
.run:enabled:hover,
button.change:hover {
  background: var(--rule-soft);
}
.change {
  text-align: right;
}
.learning {
  color: var(--copper-ink);
  font-weight: 600;
}
</style>
