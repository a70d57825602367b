<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { Take } from '~~/core/document/take';
import { differencesOf, differenceWords, USUAL_TOLERANCE, type Difference } from '~~/core/picking/takeDifferences';
import { meterAt } from '~~/core/time/meter';
import { vFocus } from '~/controls/focus';
import { keyRangeOf } from '~/chart/chartDrawing';
import { TOKENS } from '~/drawing/inks';
import { useCanvas } from '~/drawing/useCanvas';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { stationPath } from '~/shell/stations';
import { useSong } from '~/song/song';
import { useSession } from '~/transport/session';
import { drawAgainst, type LanesFrame } from './lanesDrawing';
import { usePick } from './pick';

/** Two takes of the range over each other, with their differences marked and listed. */
const emit = defineEmits<{ close: [] }>();
const pick = usePick();
const reading = useReading();
const openSong = useOpenSong();
const session = useSession();
const song = useSong();
const router = useRouter();

const first = pick.atCursor!;
const heardThere = pick.part!.comp.find((p) => p.from <= pick.target.from && p.to > pick.target.from)?.takeId;
const usual =
  pick.there.find((t) => t.id === heardThere && t.id !== first.id) ?? pick.there.find((t) => t.id !== first.id);
const ids = ref({ mine: first.id, other: usual?.id ?? first.id });
const takes = computed(() => pick.there.map((t) => ({ value: t.id, title: t.name || `Take ${t.number}` })));
const tolerance = ref({ ...USUAL_TOLERANCE });

const readOf = (take: Take) => ({ id: take.id, from: take.from, to: take.to, ...reading.readTake(take) });
const mine = computed(() => readOf(pick.takeOf(ids.value.mine) ?? first));
const other = computed(() => readOf(pick.takeOf(ids.value.other) ?? first));
const differences = computed(() => {
  const { tempo, meter } = openSong.maps;
  return differencesOf(mine.value, other.value, pick.shownRange, tempo, meter, tolerance.value);
});
const at = ref(-1);
watch(differences, () => {
  at.value = -1;
});

const card = ref<HTMLElement | null>(null);
const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(card);
const frame = computed((): LanesFrame => ({
  width: Math.max(320, width.value),
  view: pick.shownRange,
  keys: keyRangeOf([...mine.value.notes, ...other.value.notes]),
}));
const canvas = useCanvas(host, [
  (c) =>
    drawAgainst(c, frame.value, openSong.maps, Math.max(200, height.value), {
      mine: mine.value.notes,
      other: other.value.notes,
      ink: TOKENS[pick.part!.ink],
      differences: differences.value,
      shown: differences.value[at.value] ?? null,
    }),
]);
watch([canvas, width, height], () => canvas.value?.resize(frame.value.width, Math.max(200, height.value)));
watch([canvas, frame, differences, at], () => canvas.value?.redraw());

function go(index: number): void {
  const difference = differences.value[index];
  if (!difference) return;
  at.value = index;
  document.getElementById(`difference-${index}`)?.scrollIntoView({ block: 'nearest' });
}
function listen(difference: Difference, takeId: string): void {
  const { meter } = openSong.maps;
  pick.hear({ takeId, range: null });
  session.seek(Math.max(0, difference.at - meterAt(meter, difference.at).ticksPerBar / 2));
  void session.playFromHere();
}
function key(event: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (by === undefined || /^(INPUT|TEXTAREA)$/.test((event.target as HTMLElement).tagName)) return;
  event.preventDefault();
  go(Math.max(0, Math.min(differences.value.length - 1, at.value + by)));
}
/** Opens the piano roll with this take, and the other beneath it. */
function openRoll(): void {
  reading.compared = { part: pick.part!.id, take: ids.value.mine, beneath: ids.value.other };
  session.seek(differences.value[at.value]?.at ?? pick.shownRange.from);
  leave();
  void router.push(stationPath('tidy', song.id));
}
function leave(): void {
  pick.stopHearing();
  emit('close');
}
</script>

<template>
  <v-card class="against" @keydown="key">
    <div class="top">
      <SmallSelect v-model="ids.mine" :items="takes" label="This take" />
      <span>against</span>
      <SmallSelect v-model="ids.other" :items="takes" label="The other take" />
      <label class="small"
        >from
        <SmallField
          :model-value="tolerance.time"
          type="number"
          min="5"
          max="500"
          aria-label="Smallest difference in milliseconds"
          @set="(ms) => (tolerance.time = Math.max(5, Math.min(500, Number(ms) || 40)))"
        />
        ms</label
      >
      <span class="choices">
        <v-btn size="small" @click="openRoll">In the piano roll</v-btn>
        <v-btn size="small" @click="leave">Close</v-btn>
      </span>
    </div>
    <div class="both">
      <div ref="card" class="sheet drawn" role="img" :aria-label="`${differences.length} differences, drawn`">
        <div ref="host" />
      </div>
      <div class="sheet list" role="region" aria-label="What differs" tabindex="0" v-focus>
        <p v-if="differences.length === 0" class="quiet">Nothing differs here by more than that.</p>
        <ul>
          <li v-for="(d, i) in differences" :id="`difference-${i}`" :key="i" :class="{ shown: i === at }">
            <button class="row" @click="go(i)">{{ differenceWords(d, openSong.maps.meter) }}</button>
            <span v-if="i === at" class="choices">
              <v-btn size="x-small" @click="listen(d, ids.mine)">Hear it</v-btn>
              <v-btn size="x-small" @click="listen(d, ids.other)">Hear the other</v-btn>
            </span>
          </li>
        </ul>
      </div>
    </div>
    <p class="quiet small">
      This take is filled, the other outlined; what differs is marked. Up and Down step through what differs.
    </p>
  </v-card>
</template>

<style scoped>
.against {
  padding: 14px;
}
.top {
  display: grid;
  grid-template-columns: 150px auto 150px 1fr auto;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
}
.top label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.top label .small-field {
  flex: 0 0 70px;
}
.both {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 240px;
  gap: 10px;
  height: 380px;
}
.drawn {
  position: relative;
  overflow: hidden;
}
.list {
  overflow: auto;
  padding: 6px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.row {
  text-align: left;
  width: 100%;
  padding: 2px 6px;
  font-size: 12.5px;
}
.shown {
  background: var(--copper-soft);
  border-radius: 6px;
}
.small {
  font-size: 12px;
  margin: 8px 0 0;
}
</style>
