<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Check } from '~~/core/handover/checks';
import { thingsLeft } from '~~/core/handover/deliveryProgress';
import { TOKENS } from '~/drawing/inks';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useSession } from '~/transport/session';
import { useDelivery } from './delivery';

/** Checks for what a client would notice: go there, repair it, or accept it with a reason. */
const song = useSong();
const openSong = useOpenSong();
const reading = useReading();
const session = useSession();
const out = useDelivery();

const waving = ref<string | null>(null);
const reason = ref('');
const partOf = (check: Check) => openSong.document.parts.find((p) => p.id === check.part);
const path = ({ station, kind }: Check) =>
  `/songs/${encodeURIComponent(song.id!)}/${station}${kind === 'ear' ? '?page=Your ear' : ''}`;
function go(check: Check): void {
  if (check.part) reading.shownId = check.part;
  if (check.at !== null) session.seek(Math.max(0, Math.min(check.at, openSong.maps.end - 1)));
}
const mendWords = (check: Check): string | null => {
  if (check.kind === 'clipped') return `lower all files to ${out.clipped!.trimDb} dB`.replace('-', '−');
  // The selected parts are known once the delivery has been read.
  if (check.kind === 'silent') return out.state === 'ready' ? 'leave it out' : null;
  return check.mend?.words ?? null;
};
async function mend(check: Check): Promise<void> {
  if (check.mend) song.run(check.mend.command);
  else if (check.kind === 'silent') await out.set({ leftOut: [...out.delivery.leftOut, check.part!] });
  else if (check.kind === 'clipped' && out.clipped) {
    void out.set({ trimDb: out.clipped.trimDb });
    await out.make();
  }
}
const wordsOf = (check: Check): string => {
  const part = partOf(check);
  return part ? `${part.name}: ${check.words}` : check.words;
};
function wave(check: Check): void {
  song.run({
    type: 'wave through',
    check: check.fingerprint,
    words: wordsOf(check).slice(0, 300),
    reason: reason.value,
  });
  waving.value = null;
  reason.value = '';
}
function ask(check: Check): void {
  waving.value = check.fingerprint;
  reason.value = '';
}
const heading = computed(() => {
  if (out.going.length === 0) return 'Nothing to check';
  if (out.open.length > 0) return thingsLeft(out.open.length);
  return out.waived.length > 0 ? 'Nothing left' : 'Nothing found';
});
</script>

<template>
  <section class="sheet checks" aria-label="Checks">
    <header>
      <h2 class="names">{{ heading }}</h2>
      <span v-if="out.open.length > 0" class="quiet">before it goes</span>
    </header>
    <p v-if="out.going.length > 0 && out.checks.length === 0" class="quiet">
      No notes hang, none are doubled or outside, pedals are at rest, joins are heard, nothing needs your ear.
    </p>
    <ul v-if="out.open.length > 0">
      <li v-for="check in out.open" :key="check.fingerprint" :aria-label="wordsOf(check)">
        <p>
          <b v-if="partOf(check)" :style="{ color: TOKENS[partOf(check)!.ink] }">{{ partOf(check)!.name }}</b>
          {{ check.words }}
        </p>
        <form
          v-if="waving === check.fingerprint"
          class="reason"
          @submit.prevent="wave(check)"
          @keydown.esc="waving = null"
        >
          <v-text-field v-model="reason" label="Why it goes out like this" autofocus maxlength="300" />
          <v-btn type="submit" size="small" :disabled="!reason.trim()">Accept it</v-btn>
        </form>
        <div v-else class="acts">
          <NuxtLink v-if="check.station !== 'hand-over'" class="onward" :to="path(check)" @click="go(check)"
            >Go there</NuxtLink
          >
          <v-btn v-if="mendWords(check)" size="x-small" @click="mend(check)">{{ mendWords(check) }}</v-btn>
          <v-btn size="x-small" variant="text" @click="ask(check)">Accept</v-btn>
        </div>
      </li>
    </ul>
    <template v-if="out.waived.length > 0">
      <div class="label">Accepted, and on the note</div>
      <ul class="waived">
        <li v-for="w in out.waived" :key="w.check">
          <p>
            {{ w.words }}: <i>{{ w.reason }}</i>
          </p>
          <v-btn
            size="x-small"
            variant="text"
            :aria-label="`Look at it again: ${w.words}`"
            @click="song.run({ type: 'wave through', check: w.check, words: w.words, reason: '' })"
            >Look again</v-btn
          >
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.checks {
  padding: 12px 16px 14px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  align-content: start;
}
header {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
h2 {
  font-size: 18px;
  margin: 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
li {
  border-top: 1px solid var(--rule-soft);
  padding: 7px 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 3px;
}
p {
  margin: 0;
  font-size: 13px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.reason {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px;
  align-items: center;
}
.waived li {
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
}
</style>
