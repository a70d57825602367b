<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import { useClientNotes } from '~/client/clientNotes';
import { usePreferences } from '~/controls/preferences';
import { useSync } from '~/sync/sync';
import { useLongWork } from '~/notices/longWork';
import { useSong } from '~/song/song';
import { keyWords } from '~/transport/actions';
import { needsSong, stationPath, STATIONS, type StationId } from './stations';
import { vHint } from '~/controls/hint';

const emit = defineEmits<{ keys: []; stand: []; sheet: []; notes: [] }>();
const notes = useClientNotes();
const preferences = usePreferences();
const song = useSong();
const work = useLongWork();
const sync = useSync();
const route = useRoute();

const facts = computed(() => {
  const document = song.document;
  if (!document) return '';
  const meter = document.meter[0]!;
  return [song.job, `${Math.round(document.tempo[0]!.bpm * 10) / 10} bpm`, `${meter.beats}/${meter.unit}`].join(
    '  ·  ',
  );
});
/** Test for a station that can be opened now; most need a song. */
const isOpen = (id: StationId): boolean => song.id !== null || !needsSong(id);
const said = computed(() => {
  if (sync.state === 'kept') return sync.parked.length ? REST_KEPT : KEEPING.kept;
  return sync.atRisk ? AT_RISK : KEEPING[sync.state];
});
/** Colour of the words: the same for everything that is not on the server. */
const tone = computed(() => (sync.atRisk || sync.state === 'trouble' ? 'away' : sync.state));
const here = (id: string) =>
  id === 'desk' ? route.path === '/' || route.path.endsWith('/set-up') : route.path.endsWith(`/${id}`);
const KEEPING = {
  kept: 'All kept',
  keeping: 'Keeping',
  away: 'Server away, kept in this browser',
  trouble: 'Server in trouble, kept in this browser',
} as const;
const REST_KEPT = 'The rest is kept';
const AT_RISK = 'In this window only: leave it open';
</script>

<template>
  <header class="header">
    <NuxtLink to="/" class="brand" aria-label="Tall Kettle, to the Desk">
      <img src="/mark.svg" alt="" width="26" height="26" />
      <span class="names">Tall Kettle</span>
    </NuxtLink>
    <nav aria-label="Stations">
      <component
        :is="isOpen(station.id) ? 'NuxtLink' : 'span'"
        v-for="station in STATIONS"
        :key="station.id"
        :to="stationPath(station.id, song.id)"
        class="tab"
        :class="{ here: here(station.id), off: !isOpen(station.id) }"
        :aria-current="here(station.id) ? 'page' : undefined"
        :role="isOpen(station.id) ? undefined : 'link'"
        :aria-disabled="isOpen(station.id) ? undefined : true"
        v-hint="`${station.name} (${keyWords(station.key, false)})`"
        >{{ station.name
        }}<span v-if="work.words(station.id)" class="figures far">&nbsp;{{ work.words(station.id) }}</span></component
      >
      <button class="tab keys" v-hint="'Every key and command (?)'" @click="emit('keys')">Keys</button>
      <button
        v-if="song.document"
        class="tab small"
        v-hint="'To be read from two metres away (S)'"
        @click="emit('stand')"
      >
        Stand
      </button>
      <button
        v-if="song.document"
        class="tab small"
        v-hint="'The client’s pages, which turn with the song (Shift P)'"
        @click="emit('sheet')"
      >
        Sheet
      </button>
      <button
        v-if="song.document"
        class="tab small"
        v-hint="'What the client wants changed (Shift N)'"
        @click="emit('notes')"
      >
        Notes<span v-if="notes.open" class="figures count">{{ notes.open }}</span>
      </button>
      <button
        class="tab small"
        v-hint="'The face for a dark room, or for a bright one'"
        :aria-pressed="preferences.face === 'night'"
        @click="preferences.turnLights()"
      >
        Lights
      </button>
    </nav>
    <div v-if="song.document" class="song">
      <div class="names title">{{ song.document.title }}</div>
      <slot />
      <div class="facts">{{ facts }}</div>
    </div>
    <div v-if="song.document" class="safe" :class="tone" role="status">
      <span class="dot" aria-hidden="true" />{{ said }}
    </div>
    <NotKept />
  </header>
</template>

<script lang="ts">
import { NuxtLink } from '#components';

export default { components: { NuxtLink } };
</script>

<style scoped>
.header {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 18px;
  border-bottom: 1px solid var(--rule);
  grid-row: 1;
}
.brand {
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--ink);
  text-decoration: none;
  font-size: 19px;
  white-space: nowrap;
}
nav {
  align-items: center;
  display: flex;
  gap: 2px;
  margin-left: 12px;
  flex: 1;
}
.tab {
  position: relative;
  padding: 6px 13px;
  border-radius: 20px;
  color: var(--ink-2);
  text-decoration: none;
  font-weight: 500;
  white-space: nowrap;
}
@media (max-width: 1200px) {
  .header {
    gap: 6px;
  }
  nav .tab {
    padding-inline: 6px;
  }
}
.count {
  margin-left: 5px;
  padding: 0 6px;
  border-radius: 9px;
  background: var(--copper);
  color: var(--sheet);
  font-size: 11px;
}
/* Below its name, so that no name moves while it is there; the station itself says more. */
.far {
  position: absolute;
  inset: auto 0 -5px;
  font-size: 11px;
  text-align: center;
  color: var(--moss);
}
.here .far {
  display: none;
}
.tab.here {
  background: var(--ink);
  color: var(--sheet);
  font-weight: 600;
}
.tab.keys,
.tab.small {
  padding-inline: 8px;
  font-size: 13px;
}
.tab.keys {
  margin-left: 10px;
}
.tab.off {
  color: var(--pencil);
}
.song {
  text-align: right;
  line-height: 1.25;
  min-width: 0;
  flex: 0 1 auto;
}
.title,
.facts {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.title {
  font-size: 15px;
}
.facts {
  font-size: 12px;
  color: var(--ink-2);
  white-space: pre;
}
.safe {
  display: flex;
  align-items: center;
  gap: 7px;
  font-size: 12px;
  color: var(--moss);
  white-space: nowrap;
}
.dot {
  width: 8px;
  height: 8px;
  border-radius: 50%;
  background: currentcolor;
}
.safe.keeping {
  color: var(--ink-2);
}
.safe.away {
  color: var(--copper);
  font-weight: 600;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .header,
  nav {
    flex-wrap: wrap;
  }
  nav {
    margin-left: 0;
    flex-basis: 100%;
    order: 1;
  }
}
</style>
