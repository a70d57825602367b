<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref } from 'vue';
import { mdiChevronLeft, mdiChevronRight } from '@mdi/js';
import { barsWords } from '~~/core/time/words';
import { layerFacts, spreadOf } from '~~/core/song/takes';
import type { Take } from '~~/core/document/take';
import { LONGEST_NAME } from '~~/core/vocabulary/limits';
import { whenWords } from '~/controls/dateWords';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useNotices } from '~/notices/notices';
import { useHands } from '~/transport/performAction';
import { usePass } from '~/transport/pass';
import { usePartRoom } from '~/song/partRoom';
import { useSong } from '~/song/song';
import { vHint } from '~/controls/hint';

const song = useSong();
const openSong = useOpenSong();
const { hasRoom } = usePartRoom();
const layers = useLayers();
const reading = useReading();
const hands = useHands();
const running = usePass();
const notices = useNotices();
const part = computed(() => reading.shown);

function spreadWords(take: Take): string {
  const spread = spreadOf(reading.readTake(take), openSong.maps);
  return spread === null ? '' : `±${Math.round(spread)} ms`;
}

/** Number of takes listed until all are requested, as a take that is not listed need not be read. */
const LATEST = 25;
const all = ref(false);
const more = computed(() => (all.value ? 0 : Math.max(0, (part.value?.takes.length ?? 0) - LATEST)));
const rows = computed(() => {
  const p = part.value;
  if (!p) return [];
  return p.takes
    .slice(more.value)
    .map((take) => ({
      take,
      bars: barsWords(take, openSong.maps.meter),
      spread: spreadWords(take),
      heard: p.comp.some((c) => c.takeId === take.id),
    }))
    .reverse();
});
/** Take whose layers are listed. */
const opened = ref<string | null>(null);
const layersOf = (take: Take) =>
  take.layers.flatMap((id, index) => {
    const layer = layers.closed.get(id);
    if (!layer) return [];
    const { name, does, bars, notes, at } = layerFacts(layer, take, index, openSong.maps);
    return {
      id,
      name,
      words: `${name}, ${does}`,
      holds: `${bars}, ${many(notes, 'note')}, ${whenWords(at)}`,
      muted: take.muted.includes(id),
    };
  });
function moveOut(take: Take, layer: string, layerName: string): void {
  const p = part.value!;
  if (!hasRoom('The layer stayed where it is.')) return;
  const name = `${p.name}, ${layerName}`.slice(0, LONGEST_NAME);
  song.run({
    type: 'move layer out',
    part: p.id,
    take: take.id,
    layer,
    to: { id: crypto.randomUUID(), name, takeId: crypto.randomUUID() },
  });
  notices.say(`The layer is the part “${name}” now. Undo puts it back.`, 'plain');
}
const mute = (take: Take, layer: string, muted: boolean) =>
  song.run({ type: 'mute layer', part: part.value!.id, take: take.id, layer, muted });
</script>

<template>
  <div class="passes">
    <div class="top">
      <span class="label">Takes, {{ part?.name ?? 'no part' }}</span>
      <span v-if="rows.length > 1" class="step">
        <v-btn
          size="x-small"
          variant="text"
          :icon="mdiChevronLeft"
          aria-label="The take before, in these bars"
          v-hint="'The take before, in these bars (,)'"
          @click="hands.act('previous take')"
        />
        <v-btn
          size="x-small"
          variant="text"
          :icon="mdiChevronRight"
          aria-label="The next take, in these bars"
          v-hint="'The next take, in these bars (.)'"
          @click="hands.act('next take')"
        />
      </span>
    </div>
    <button v-if="hands.latest && !running.recording" class="undo" @click="hands.act('undo pass')">
      Undo the pass <ActionKey action="undo pass" />
    </button>
    <div class="sheet list" role="region" aria-label="Takes" tabindex="0">
      <template v-for="row in rows" :key="row.take.id">
        <div
          class="take"
          :class="{ heard: row.heard }"
          v-hint="row.heard ? 'In the line' : 'Not used: kept, not in the line'"
        >
          <span class="figures n">{{ row.take.number }}</span>
          <span>{{ row.bars }}<span v-if="!row.heard" class="quiet">, not used</span></span>
          <button
            v-if="row.take.layers.length > 1"
            class="more figures"
            :aria-expanded="opened === row.take.id"
            @click="opened = opened === row.take.id ? null : row.take.id"
          >
            {{ row.take.layers.length }} layers
          </button>
          <span v-else class="figures spread">{{ row.spread }}</span>
        </div>
        <template v-if="opened === row.take.id">
          <div v-for="l in layersOf(row.take)" :key="l.id" class="layer" :class="{ muted: l.muted }">
            <span
              >{{ l.words }}<span class="quiet holds">{{ l.holds }}</span></span
            >
            <Choice
              size="x-small"
              :on="l.muted"
              :aria-label="`Mute ${l.words}`"
              @click="mute(row.take, l.id, !l.muted)"
              >{{ l.muted ? 'muted' : 'mute' }}</Choice
            >
            <v-btn
              size="x-small"
              variant="outlined"
              :aria-label="`Move ${l.words} out to a part of its own`"
              v-hint="'To a part of its own'"
              @click="moveOut(row.take, l.id, l.name)"
              >out</v-btn
            >
          </div>
        </template>
      </template>
      <v-btn v-if="more > 0" size="x-small" variant="text" @click="all = true">{{ more }} earlier takes</v-btn>
      <p v-if="rows.length === 0" class="quiet none">No takes yet. Press Record and play.</p>
    </div>
  </div>
</template>

<style scoped>
.passes {
  display: grid;
  gap: 7px;
  grid-template-rows: auto auto minmax(0, 1fr);
  min-height: 90px;
}
.list {
  grid-row: 3;
  padding: 6px;
  overflow: auto;
  min-height: 0;
}
.take {
  display: grid;
  grid-template-columns: 26px 1fr auto;
  padding: 4px 8px;
  border-radius: 6px;
  color: var(--ink-2);
}
.take.heard {
  color: var(--ink);
  font-weight: 500;
}
.n {
  color: var(--ink-2);
}
.spread {
  font-size: 12px;
}

.undo {
  justify-self: start;
  font-size: 12px;
  font-weight: 600;
  color: var(--copper-ink);
}
.top {
  display: flex;
  align-items: center;
  justify-content: space-between;
  min-height: 22px;
}
.more {
  color: var(--copper-ink);
  font-size: 12px;
  text-decoration: underline;
}
.layer {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 6px;
  align-items: center;
  padding: 2px 8px 2px 34px;
  font-size: 12px;
}
/* On a line of its own: the list is narrow. */
.holds {
  display: block;
}
.layer.muted > span {
  text-decoration: line-through;
}
.none {
  margin: 6px 8px;
  font-size: 13px;
}
</style>
