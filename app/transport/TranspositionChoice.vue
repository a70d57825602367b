<script setup lang="ts">
import { computed, ref } from 'vue';
import { mdiClose, mdiMinus, mdiPlus } from '@mdi/js';
import { keyInBar, semitonesInBar, transposedInBars, transposedRanges } from '~~/core/document/transposition';
import { sectionsOf } from '~~/core/document/maps';
import { barAt } from '~~/core/time/meter';
import { keyWords, semitoneWords } from '~~/core/vocabulary/key';
import { MOST_BARS, MOST_SEMITONES } from '~~/core/vocabulary/limits';
import { vHint } from '~/controls/hint';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { usePass } from './pass';

/** Transposition of the song or some of its bars, in semitones above or below the written key. */
const song = useSong();
const openSong = useOpenSong();
const pass = usePass();
const document = computed(() => openSong.document);

const WHOLE = 'whole';
const PASS = 'pass';
const chosen = ref(WHOLE);
interface Place {
  readonly value: string;
  readonly title: string;
  readonly first: number;
  readonly last: number;
}
const places = computed((): Place[] => {
  const { meter } = openSong.maps;
  const { range } = document.value.brief;
  const named = sectionsOf(document.value, meter).filter((s) => s.name);
  return [
    // Open end, so that bars added later are transposed too.
    { value: WHOLE, title: 'The whole song', first: 1, last: MOST_BARS },
    ...named.map(({ name, firstBar: first, lastBar: last }) => ({
      ...{ value: `${first}`, title: `${name}, bars ${first}–${last}`, first, last },
    })),
    ...(range
      ? [{ value: PASS, title: 'The bars selected', first: barAt(meter, range.from), last: barAt(meter, range.to - 1) }]
      : []),
  ];
});
const place = computed(() => places.value.find((p) => p.value === chosen.value) ?? places.value[0]!);
const semitones = computed(() => semitonesInBar(document.value.transposition, place.value.first));
const words = computed(() => {
  const key = keyInBar(document.value, place.value.first);
  return [semitoneWords(semitones.value), key ? keyWords(key) : ''].filter(Boolean).join(', ');
});
const ranges = computed(() => transposedRanges(document.value.transposition, document.value.bars));

function transpose(at: Pick<Place, 'first' | 'last'>, to: number): void {
  if (Math.abs(to) > MOST_SEMITONES) return;
  song.run({ type: 'set transposition', transposition: transposedInBars(document.value.transposition, at, to) });
}
</script>

<template>
  <div class="transposition" role="group" aria-label="Transposition">
    <SmallSelect v-model="chosen" :items="places" label="What is transposed" />
    <div class="row">
      <v-btn
        :icon="mdiMinus"
        size="x-small"
        aria-label="A semitone down"
        :disabled="pass.recording || semitones <= -MOST_SEMITONES"
        @click="transpose(place, semitones - 1)"
      />
      <span class="figures now" role="status">{{ words }}</span>
      <v-btn
        :icon="mdiPlus"
        size="x-small"
        aria-label="A semitone up"
        :disabled="pass.recording || semitones >= MOST_SEMITONES"
        @click="transpose(place, semitones + 1)"
      />
    </div>
    <ul v-if="ranges.length" class="ranges" aria-label="Transposed bars">
      <li v-for="s in ranges" :key="s.first">
        <span class="figures">Bars {{ s.first }}–{{ s.last }}</span>
        <span>{{ semitoneWords(s.semitones) }}</span>
        <v-btn
          :icon="mdiClose"
          size="x-small"
          variant="text"
          :disabled="pass.recording"
          v-hint="'These bars are in their own key again'"
          :aria-label="`Bars ${s.first} to ${s.last} at their own pitch again`"
          @click="transpose(s.last >= document.bars ? { first: s.first, last: MOST_BARS } : s, 0)"
        />
      </li>
    </ul>
    <p v-if="pass.recording" class="quiet small">The key can be changed when the pass is over.</p>
  </div>
</template>

<style scoped>
.transposition {
  display: grid;
  gap: 6px;
}
.row,
.ranges li {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 13px;
}
.now {
  flex: 1;
  text-align: center;
}
.ranges {
  list-style: none;
  padding: 0;
  margin: 0;
}
.ranges li span:nth-child(2) {
  flex: 1;
}
.small {
  font-size: 12px;
  margin: 0;
}
</style>
