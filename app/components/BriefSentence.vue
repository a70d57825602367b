<script setup lang="ts">
import { computed } from 'vue';
import { briefPhrases, rangeWords, type BriefControl } from '~~/core/recording/brief';
import { barStart, barAt } from '~~/core/time/meter';
import type { Brief } from '~~/core/song/document';
import type { Recipe } from '~~/core/timing/treatment';
import { PART_INKS } from '~/utils/inks';
import { useKeyboards } from '~/stores/keyboards';
import { useSession } from '~/stores/session';
import { useSong } from '~/stores/song';
import { sectionsOf } from '~~/core/song/song';

const song = useSong();
const session = useSession();
const keyboards = useKeyboards();

const sentence = computed(() => briefPhrases({
  song: song.document!, meter: song.maps!.meter, end: song.maps!.end, playhead: session.startTick, keyboards: keyboards.active,
}));
/** Punctuation stays with the phrase before it when the sentence wraps. */
const phrases = computed(() => sentence.value.map((phrase, i) => {
  const next = sentence.value[i + 1]?.text ?? '';
  const tail = phrase.control && /^[,.]/.test(next) ? next[0]! : '';
  const glued = !phrase.control && sentence.value[i - 1]?.control && /^[,.]/.test(phrase.text);
  return { ...phrase, tail, text: glued ? phrase.text.slice(1) : phrase.text };
}));
const brief = computed(() => song.document!.brief);
const part = computed(() => song.document!.parts.find((p) => p.id === brief.value.part));
const sections = computed(() => sectionsOf(song.document!, song.maps!.meter).filter((s) => s.name));
const set = (to: Partial<Brief>) => song.run({ type: 'set brief', brief: to });

const NAMES: Readonly<Record<BriefControl, string>> = {
  count: 'Count-off', where: 'What is recorded', part: 'The part that hears the keys', keyboard: 'Keyboards', placement: 'Timing', quantize: 'Quantize on the way in',
};
const USUAL: Recipe = { grid: '16 straight', strength: 0.8, ends: 'keep length' };
const COUNTS = [0, 1, 2, 3, 4];

function setBars(which: 'first' | 'last', text: string): void {
  const { meter } = song.maps!;
  const bars = song.document!.bars;
  const bar = Math.max(1, Math.min(bars, Math.round(Number(text))));
  if (!Number.isFinite(bar)) return;
  const now = brief.value.range ?? { from: 0, to: song.maps!.end };
  const first = which === 'first' ? bar : barAt(meter, now.from);
  const last = which === 'last' ? bar : barAt(meter, now.to - 1);
  set({ range: { from: barStart(meter, Math.min(first, last)), to: barStart(meter, Math.max(first, last) + 1) } });
}
const bars = computed(() => {
  const { meter } = song.maps!;
  const range = brief.value.range;
  return range ? { first: barAt(meter, range.from), last: barAt(meter, range.to - 1) } : null;
});
</script>

<template>
  <section class="brief sheet" aria-label="The brief">
    <span class="label">Next pass</span>
    <p class="sentence names">
      <template v-for="(phrase, i) in phrases" :key="i">
        <v-menu v-if="phrase.control" :close-on-content-click="false">
          <template #activator="{ props }">
            <span class="glued"><button
              v-bind="props" class="phrase" :class="{ marked: phrase.mark, live: phrase.control === 'where' && brief.range }" :data-control="phrase.control"
              :style="phrase.control === 'part' && part ? { '--under': PART_INKS[part.ink] } : undefined"
              :title="phrase.mark ?? NAMES[phrase.control]" :aria-label="`${NAMES[phrase.control]}: ${phrase.text}${phrase.mark ? `. ${phrase.mark}` : ''}`"
            >{{ phrase.text }}</button>{{ phrase.tail }}</span>
          </template>
          <v-card class="pop" min-width="280" max-width="380">
            <div class="label">{{ NAMES[phrase.control] }}</div>
            <p v-if="phrase.mark" class="mark">{{ phrase.mark }}</p>

            <div v-if="phrase.control === 'count'" class="choices">
              <v-btn v-for="n in COUNTS" :key="n" :active="brief.countOffBars === n" @click="set({ countOffBars: n })">{{ n === 0 ? 'No count' : `${n} bar${n > 1 ? 's' : ''}` }}</v-btn>
            </div>

            <template v-else-if="phrase.control === 'where'">
              <p class="quiet">Drag over bars on the chart, or say which. Recording stops at the end of them.</p>
              <div class="two">
                <v-text-field type="number" label="From bar" min="1" :model-value="bars?.first ?? ''" @change="setBars('first', ($event.target as HTMLInputElement).value)" />
                <v-text-field type="number" label="To the end of bar" min="1" :model-value="bars?.last ?? ''" @change="setBars('last', ($event.target as HTMLInputElement).value)" />
              </div>
              <div class="choices">
                <v-btn v-for="s in sections" :key="s.firstBar" size="small" @click="set({ range: { from: s.from, to: s.to } })">{{ s.name }}, {{ rangeWords(s, song.maps!.meter) }}</v-btn>
                <v-btn size="small" :active="!brief.range" @click="set({ range: null })">From the playhead to the end</v-btn>
              </div>
            </template>

            <div v-else-if="phrase.control === 'part'" class="choices">
              <v-btn v-for="p in song.document!.parts" :key="p.id" :active="brief.part === p.id" @click="set({ part: p.id })">{{ p.name }}</v-btn>
              <v-btn :active="brief.part === null" @click="set({ part: null })">No part</v-btn>
            </div>

            <KeyboardList v-else-if="phrase.control === 'keyboard'" />

            <template v-else-if="phrase.control === 'placement' && part">
              <div class="choices column">
                <v-btn :active="part.placement.policy === 'heard'" @click="song.run({ type: 'place part', part: part.id, policy: 'heard' })">As I heard it</v-btn>
                <p class="quiet">You hear yourself through Tall Kettle. Notes stay where you lined them up.</p>
                <v-btn :active="part.placement.policy === 'played'" @click="song.run({ type: 'place part', part: part.id, policy: 'played' })">As I played it</v-btn>
                <p class="quiet">You hear the keyboard’s own sound. Notes move earlier by the time the click takes to reach you.</p>
              </div>
              <p class="quiet">Takes of this part move with it. Undo moves them back.</p>
            </template>

            <template v-else-if="phrase.control === 'quantize'">
              <v-switch :model-value="brief.quantize !== null" color="primary" density="compact" hide-details label="Pull the take to the grid" @update:model-value="(on: unknown) => set({ quantize: on ? USUAL : null })" />
              <RecipeFields v-if="brief.quantize" :model-value="brief.quantize" @update:model-value="(quantize: Recipe) => set({ quantize })" />
              <p class="quiet">It is a treatment: as played stays underneath and comes back in Tidy.</p>
            </template>
          </v-card>
        </v-menu>
        <span v-else>{{ phrase.text }}</span>
      </template>
    </p>
  </section>
</template>

<style scoped>
.glued { white-space: nowrap; }
.phrase { font: inherit; font-weight: 600; color: var(--ink); border-bottom: 2px solid var(--under, var(--copper)); line-height: 1.15; padding: 0; text-align: left; }
.phrase:hover { background: var(--copper-soft); }
.phrase.live { color: var(--live); border-color: var(--live); }
.phrase.marked { background: var(--copper-soft); color: #8f3f1b; }
.phrase.marked::before { content: '! '; font-family: var(--text); font-weight: 700; }
.pop { padding: 14px; display: grid; gap: 10px; }
.pop p { margin: 0; font-size: 13px; }
.mark { color: #8f3f1b; font-weight: 600; }
.choices.column { flex-direction: column; align-items: stretch; }
.two { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; }
</style>
