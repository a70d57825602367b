<script setup lang="ts">
import { until, useEventListener } from '@vueuse/core';
import { computed, onMounted, ref, watchEffect } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { Milliseconds } from '~~/core/time/units';
import { isAsking } from '~/api/api';
import { useStrayDrops } from '~/controls/useFileDrop';
import { afterPaint } from '~/drawing/afterPaint';
import { useShortcuts, useComputerKeys, type Shortcuts } from '~/shell/useShortcuts';
import { useActionKeys } from '~/transport/actionKeys';
import { useConfirming } from '~/transport/confirming';
import { useRoll } from '~/transport/roll';
import { useHands } from '~/transport/performAction';
import { useSheet } from '~/sheet/sheet';
import { useStandFacts } from '~/stand/standFacts';
import { useStandSender } from '~/stand/standWindow';
import { useKeyboards } from '~/keyboards/keyboards';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useNotices } from '~/notices/notices';
import { needsSong, stationName, stationPath, STATIONS, type StationId } from '~/shell/stations';

/** Longest wait for the Desk before other parts of the page are loaded. */
const FIRST_LOOK: Milliseconds = 1500;

const session = useSession();
const hands = useHands();
const actionKeys = useActionKeys();
const confirming = useConfirming();
const roll = useRoll();
const song = useSong();
const sound = useSound();
const notices = useNotices();
const route = useRoute();
/** True while the list of keys is open. */
const keysOpen = ref(false);
/** True while the stand covers the station. */
const standOpen = ref(false);
/** True while the client's notes are beside the station. */
const notesOpen = ref(false);
const stand = useStandFacts();
const sheet = useSheet();
const keyboards = useKeyboards();
/** Title of the page, for the browser's tab. */
const title = computed(() => [stationName(route.path), song.document?.title].filter(Boolean).join(': '));
const router = useRouter();

onMounted(async () => {
  void session.start(confirming.act);
  // The Desk is drawn before other parts are loaded; a song's stations need all of them at once.
  if (route.path === '/') {
    await until(isAsking).toBe(false, { timeout: FIRST_LOOK });
    await afterPaint();
  }
  void sound.load();
  // All stations are loaded ahead, as the server may be away when one is opened.
  for (const { id } of STATIONS) void preloadRouteComponents(stationPath(id, 'any'));
});
// Browsers start sound only after a user gesture.
useEventListener(['pointerdown', 'keydown'], sound.wake);
watchEffect(() => {
  sound.wanted = song.document !== null || route.path.endsWith('/line-check');
});
useStrayDrops(() =>
  notices.say('Files are taken on the Desk, on a job, and in Set up, on the list of backings. Nothing was changed.'),
);
// The key may be released in another window.
useEventListener('blur', () => {
  roll.asPlayed = false;
});

/** Marks in the order in which M steps through them. */
const NEXT_MARK = { good: 'maybe', maybe: 'no', no: 'good' } as const;

function go(id: StationId): void {
  if (song.id || !needsSong(id)) void router.push(stationPath(id, song.id));
}

const shortcuts = computed((): Shortcuts => ({
  ...Object.fromEntries([...actionKeys.actionOf].map(([key, action]) => [key, () => hands.act(action)])),
  '?': () => {
    keysOpen.value = true;
  },
  s: () => {
    standOpen.value = !standOpen.value && stand.now !== null;
  },
  'shift+p': () => {
    sheet.panel = !sheet.panel && song.document !== null;
  },
  'shift+n': () => {
    notesOpen.value = !notesOpen.value && song.document !== null;
  },
  escape: () => {
    standOpen.value = false;
    notesOpen.value = false;
  },
  home: () => session.seek(0),
  b: () => {
    roll.asPlayed = true;
  },
  m: () => {
    if (song.document) hands.mark(NEXT_MARK[hands.latest?.take.mark ?? 'no']);
  },
  ...Object.fromEntries(STATIONS.map(({ id, key }) => [key, () => go(id)])),
}));
useShortcuts(shortcuts, {
  b: () => {
    roll.asPlayed = false;
  },
});
useComputerKeys();
useStandSender();
</script>

<template>
  <div class="desk">
    <StationHeader
      @keys="keysOpen = true"
      @stand="standOpen = true"
      @notes="notesOpen = !notesOpen"
      @sheet="sheet.panel = !sheet.panel"
      ><NameSong
    /></StationHeader>
    <Notices />
    <main class="station" :class="{ beside: sheet.panel && song.document }" :key="route.path">
      <h1 class="unseen">{{ title }}</h1>
      <NuxtPage />
    </main>
    <Footplate @undo="hands.undo()" />
    <LookBack v-if="song.document" />
    <KeyStrip />
    <SheetPanel v-if="sheet.panel && song.document" @close="sheet.panel = false" />
    <ClientNotes v-if="notesOpen && song.document" @close="notesOpen = false" />
    <StandSheet v-if="standOpen && stand.now" :facts="stand.now" />
    <CommandKeys v-else-if="keyboards.commanding.size" :held="[...keyboards.held]" />
    <KeysDialog v-model="keysOpen" @stand="standOpen = true" @notes="notesOpen = true" @sheet="sheet.panel = true" />
    <FocusHint />
    <HintTip />
  </div>
</template>

<style>
.desk {
  display: grid;
  grid-template: 50px auto minmax(0, 1fr) var(--plate-height, 100px) var(--strip, 34px) / minmax(0, 1fr);
  height: 100dvh;
  min-width: 720px;
  --sheet-width: clamp(400px, 34vw, 680px);
}
.station {
  min-height: 0;
  overflow: auto;
  padding: 12px 18px 8px;
  grid-row: 3;
}
/* The sheet lies beside what the station shows, not over it. */
.station.beside {
  margin-right: calc(var(--sheet-width, 440px) + 8px);
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  html {
    overflow: auto;
  }
  .desk {
    grid-template-rows: auto auto 1fr auto var(--strip, 34px);
    height: auto;
    min-height: 100dvh;
    min-width: 0;
  }
  .station {
    overflow: visible;
  }
  .station.beside {
    margin-right: 0;
  }
}
</style>
