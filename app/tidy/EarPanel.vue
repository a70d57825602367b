<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed } from 'vue';
import { keyName } from '~~/core/performance/messages';
import { positionAt } from '~~/core/time/meter';
import type { Doubtful } from '~~/core/timing/doubts';
import { doubtWords } from '~~/core/timing/words';
import { useKeyboards } from '~/keyboards/keyboards';
import { useOpenSong } from '~/song/openSong';
import { useShortcuts } from '~/shell/useShortcuts';
import { useEar } from './ear';

/** Notes with an unsure grid line, the least sure first, with a key for each answer. */
const ear = useEar();
const openSong = useOpenSong();
const keyboards = useKeyboards();

const meter = computed(() => openSong.maps.meter);
const placeOf = ({ notes: [first] }: Doubtful): string => {
  const { bar, beat, tick } = positionAt(meter.value, Math.round(first!.start));
  return `${bar}·${beat}·${Math.floor(tick / 240) + 1}`;
};
const namesOf = ({ notes }: Doubtful): string => {
  const names = notes.slice(0, 3).map((n) => keyName(n.key));
  return notes.length > 3 ? `${names.join(' ')} …` : names.join(' ');
};
const key = (letter: string): string => (keyboards.computerPlays ? `Ctrl ${letter}` : letter);
const ANSWERS = [
  { does: 'good', title: 'Good', key: 'Q' },
  { does: 'before', title: 'Line before', key: 'Z' },
  { does: 'after', title: 'Line after', key: 'X' },
  { does: 'played', title: 'As played', key: 'A' },
] as const;

useShortcuts({
  h: () => ear.hear(),
  ...Object.fromEntries(ANSWERS.map((a) => [a.key.toLowerCase(), () => ear.decide(a.does)])),
  ';': () => ear.step(-1),
  "'": () => ear.step(1),
});
</script>

<template>
  <section aria-label="Needs your ear" class="sheet panel">
    <p v-if="ear.all.length === 0" class="quiet">
      No note here is in doubt. Where a recipe may have put one on the wrong line, it is listed here.
    </p>
    <div v-else class="choices">
      <v-btn size="x-small" @click="ear.hear()"
        >Hear<kbd>{{ key('H') }}</kbd></v-btn
      >
      <v-btn v-for="a in ANSWERS" :key="a.does" size="x-small" @click="ear.decide(a.does)"
        >{{ a.title }}<kbd>{{ key(a.key) }}</kbd></v-btn
      >
    </div>
    <!-- Above the list, which becomes longer or shorter while one presses it. -->
    <p v-if="ear.decisions.length > 0" class="line">
      <span>{{ many(ear.decisions.length, 'note') }} decided</span>
      <v-btn size="x-small" @click="ear.letGo(ear.decisions.map(([id]) => id))">Reset them</v-btn>
    </p>
    <ul v-if="ear.all.length > 0">
      <li v-for="d in ear.all" :key="ear.idOf(d)">
        <button :class="{ on: ear.idOf(d) === ear.at }" :aria-current="ear.idOf(d) === ear.at" @click="ear.look(d)">
          <span class="figures place">{{ placeOf(d) }}</span>
          <span class="what">{{ namesOf(d) }} {{ doubtWords(d, meter) }}</span>
          <span class="figures quiet">{{ Math.round(d.doubt * 100) }}%</span>
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.panel {
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
p {
  margin: 0;
  font-size: 12.5px;
}
kbd {
  margin-left: 5px;
  color: var(--ink-2);
  opacity: 1;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li button {
  display: flex;
  gap: 8px;
  width: 100%;
  text-align: left;
  padding: 4px;
  border-radius: 6px;
  font-size: 12.5px;
}
.place {
  color: var(--ink-2);
}
.what {
  flex: 1;
}
li .on {
  background: var(--copper-soft);
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
</style>
