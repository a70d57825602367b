<script setup lang="ts">
import { computed } from 'vue';
import { barsWords } from '~~/core/recording/brief';
import { nearestLine } from '~~/core/timing/grid';
import { secondsAt } from '~~/core/time/tempo';
import type { Take } from '~~/core/song/document';
import { useSession } from '~/stores/session';
import { useSong } from '~/stores/song';

const song = useSong();
const session = useSession();
const part = computed(() => session.shown);

/** Spread of a take's strikes around the sixteenths they are nearest to, one standard deviation. */
function spreadOf(take: Take): string {
  const { tempo, meter } = song.maps!;
  const { notes } = song.readTake(take);
  if (notes.length < 2) return '';
  const off = notes.map((n) => (secondsAt(tempo, n.start) - secondsAt(tempo, nearestLine('16 straight', meter, n.start))) * 1000);
  const mean = off.reduce((a, b) => a + b, 0) / off.length;
  return `±${Math.round(Math.sqrt(off.reduce((a, b) => a + (b - mean) ** 2, 0) / off.length))} ms`;
}

const rows = computed(() => {
  const p = part.value;
  if (!p) return [];
  return p.takes.map((take) => ({
    take, bars: barsWords(take, song.maps!.meter), spread: spreadOf(take),
    heard: p.comp.some((c) => c.takeId === take.id),
  })).reverse();
});
</script>

<template>
  <div class="passes">
    <div class="label">Takes, {{ part?.name ?? 'no part' }}</div>
    <div class="sheet list">
      <div v-for="row in rows" :key="row.take.id" class="take" :class="{ heard: row.heard }" :title="row.heard ? 'In the line' : 'Pencilled: kept, not in the line'">
        <span class="figures n">{{ row.take.number }}</span>
        <span>{{ row.bars }}<span v-if="!row.heard" class="quiet">, pencilled</span></span>
        <span class="figures spread">{{ row.spread }}</span>
      </div>
      <p v-if="rows.length === 0" class="quiet none">No takes yet. Press Record and play.</p>
    </div>
  </div>
</template>

<style scoped>
.passes { display: grid; gap: 7px; grid-template-rows: auto minmax(0, 1fr); min-height: 90px; }
.list { padding: 6px; overflow: auto; min-height: 0; }
.take { display: grid; grid-template-columns: 26px 1fr auto; padding: 4px 8px; border-radius: 6px; color: var(--ink-2); }
.take.heard { color: var(--ink); font-weight: 500; }
.n { color: var(--ink-2); }
.spread { font-size: 12px; }
.none { margin: 6px 8px; font-size: 13px; }
</style>
