<script setup lang="ts">
import { computed, ref } from 'vue';
import { mdiVolumeOff } from '@mdi/js';
import { soundName, SOUNDS, type Sound } from '~~/core/vocabulary/sounds';
import { atHand, type Part } from '~~/core/document/part';
import { listenersOf, withoutListener } from '~~/core/recording/inputRoutes';
import { playedWords } from '~~/core/song/takes';
import { MOST_PARTS } from '~~/core/vocabulary/limits';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { usePartRoom } from '~/song/partRoom';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useHands } from '~/transport/performAction';
import { TOKENS } from '~/drawing/inks';
import { vFocus } from '~/controls/focus';
import { vHint } from '~/controls/hint';

const song = useSong();
const openSong = useOpenSong();
const { hasRoom } = usePartRoom();

const reading = useReading();
const adding = ref(false);
const name = ref('');
const sound = ref<Sound>('full grand');
const heard = useSound();
const hands = useHands();

const hears = (part: Part) => listenersOf(openSong.document).some((l) => l.part.id === part.id);
/** Disarms a part. */
function deafen(part: Part): void {
  openSong.setBrief(withoutListener(openSong.document.brief, part.id));
}
const set = (part: Part, to: Partial<Pick<Part, 'gainDb' | 'muted' | 'solo' | 'sound'>>) =>
  openSong.setPart(part.id, to);
const dB = (value: number) => `${Math.round(value)} dB`.replace('-', '−');

const played = computed(() => {
  const { parts, bars } = openSong.document;
  const notesOf = (part: Part) => reading.lines.get(part.id)?.notes ?? [];
  return new Map(parts.map((part) => [part.id, playedWords(part, notesOf(part), openSong.maps, bars)]));
});

function add(): void {
  if (!hasRoom('Nothing was changed.')) return;
  song.run({
    type: 'add part',
    part: { id: crypto.randomUUID(), name: name.value.trim() || 'Keyboard', sound: sound.value },
  });
  adding.value = false;
  name.value = '';
}
const CLICK_WORDS = {
  counting: 'counting only',
  recording: 'while recording',
  always: 'always',
  never: 'never',
} as const;
const sounds = SOUNDS.map((value) => ({ value, title: soundName(value) }));
const count = computed(() => openSong.document.parts.length);
const away = computed(() => openSong.document.parts.filter((p) => p.away));
</script>

<template>
  <div class="lists">
    <div class="label row">
      <span>Parts</span>
      <Popup v-model="adding" label="A new part">
        <template #activator="{ props }">
          <button v-bind="props" class="add">Add a part</button>
        </template>
        <form class="new" @submit.prevent="add">
          <v-text-field v-model="name" label="Name" v-focus maxlength="60" />
          <v-select v-model="sound" :items="sounds" label="Sound" />
          <v-btn type="submit" :disabled="count >= MOST_PARTS">Add it</v-btn>
          <p class="quiet">{{ count }} of at most {{ MOST_PARTS }} parts.</p>
        </form>
      </Popup>
    </div>
    <article
      v-for="part in atHand(openSong.document.parts)"
      :key="part.id"
      class="part sheet"
      :class="{ hears: hears(part), shown: reading.shown?.id === part.id }"
      :style="{ '--ink-of-part': TOKENS[part.ink] }"
    >
      <div class="head">
        <button
          class="name"
          :aria-pressed="reading.shown?.id === part.id"
          v-hint="`Show ${part.name} on the chart`"
          @click="reading.shownId = part.id"
        >
          {{ part.name }}
        </button>
        <v-icon v-if="part.muted" :icon="mdiVolumeOff" size="15" aria-label="muted" />
        <button
          v-if="hears(part)"
          class="pill on"
          aria-pressed="true"
          v-hint="`Disarm ${part.name}: it no longer hears the keys`"
          @click="deafen(part)"
        >
          armed
        </button>
        <button
          v-else
          class="pill"
          aria-pressed="false"
          v-hint="`Arm ${part.name}: it hears the keys`"
          @click="hands.letHear(part)"
        >
          arm
        </button>
        <PartMenu :part="part" />
      </div>
      <div class="facts">
        <SoundMenu :part="part" />
        <span class="quiet">{{ played.get(part.id) }}</span>
      </div>
      <LevelBar :label="part.name" :peak="heard.peakOf(part.id)" />
      <MixRow
        :label="part.name"
        :gain-db="part.gainDb"
        :muted="part.muted"
        :solo="part.solo"
        :value-text="dB(part.gainDb)"
        @set="(to) => set(part, to)"
      />
    </article>
    <div v-if="away.length" class="away" role="group" aria-label="Parts put away">
      <span class="quiet">Put away:</span>
      <button
        v-for="part in away"
        :key="part.id"
        class="add"
        :aria-label="`Bring ${part.name} back`"
        @click="song.run({ type: 'put part away', part: part.id, away: false })"
      >
        {{ part.name }}
      </button>
    </div>
    <div class="label row">
      <span>Backing</span><NuxtLink :to="`/songs/${song.id}/set-up`" class="add">Set up</NuxtLink>
    </div>
    <article class="part sheet backing">
      <div class="head">
        <span class="name still">Click</span><span class="quiet">{{ CLICK_WORDS[openSong.document.click.when] }}</span>
      </div>
      <MixRow
        label="Click"
        :gain-db="openSong.document.click.gainDb"
        :muted="openSong.document.click.when === 'counting' || openSong.document.click.when === 'never'"
        :value-text="dB(openSong.document.click.gainDb)"
        @set="
          (to) =>
            openSong.setClick({
              ...(to.gainDb === undefined ? {} : { gainDb: to.gainDb }),
              ...(to.muted === undefined ? {} : { when: to.muted ? 'counting' : 'always' }),
            })
        "
      />
    </article>
    <article v-for="backing in openSong.document.backings" :key="backing.id" class="part sheet backing">
      <div class="head">
        <span class="name still">{{ backing.name }}</span>
      </div>
      <LevelBar :label="backing.name" :peak="heard.peakOf(backing.id)" />
      <MixRow
        :label="backing.name"
        :gain-db="backing.gainDb"
        :muted="backing.muted"
        :solo="backing.solo"
        :value-text="dB(backing.gainDb)"
        @set="(to) => openSong.setBacking(backing.id, to)"
      />
    </article>
  </div>
</template>

<style scoped>
.lists {
  display: grid;
  gap: 5px;
  align-content: start;
}
.part {
  padding: 5px 11px 4px 15px;
  position: relative;
}
.part::before {
  content: '';
  position: absolute;
  left: 6px;
  top: 9px;
  bottom: 9px;
  width: 4px;
  border-radius: 2px;
  background: var(--ink-of-part, var(--pencil));
}
.part.hears {
  border: 2px solid var(--ink);
  padding: 4px 10px 3px 14px;
}
.head,
.facts {
  display: flex;
  align-items: center;
  gap: 6px;
}
.name {
  font-weight: 600;
  text-align: left;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.shown .name:not(.still) {
  text-decoration: underline;
  text-decoration-color: var(--ink-of-part);
  text-decoration-thickness: 2px;
  text-underline-offset: 3px;
}
.pill {
  font-size: 11px;
  border-radius: 10px;
  padding: 1px 8px;
  border: 1px solid var(--rule);
  color: var(--ink-2);
  white-space: nowrap;
}
.pill.on {
  background: var(--ink);
  color: var(--sheet);
  border-color: var(--ink);
  font-weight: 600;
}
.facts {
  font-size: 12px;
  justify-content: space-between;
}
.sound {
  border-bottom: 1px solid var(--rule);
  color: var(--ink-2);
  font-size: 12px;
}
.row {
  display: flex;
  justify-content: space-between;
}
.add {
  color: var(--copper-ink);
  text-decoration: none;
  font-weight: 600;
  font-size: 12px;
  letter-spacing: 0;
  text-transform: none;
}
.new {
  display: grid;
  gap: 10px;
}
.label {
  margin-top: 2px;
}
.away {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  font-size: 12.5px;
}
</style>
