<script setup lang="ts">
import { computed } from 'vue';
import { FEWEST_TAKES, type Slip, type TakeBar } from '~~/core/picking/compare';
import { slipWords } from '~~/core/picking/suggest';
import { inRange } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { usePick } from './pick';

/** Table of the takes in the bar at the cursor. */
const emit = defineEmits<{ against: [] }>();
const pick = usePick();
const reading = useReading();
const openSong = useOpenSong();

const KINDS: Readonly<Record<Slip['kind'], string>> = {
  missing: 'missed',
  extra: 'extra',
  wrong: 'wrong',
  early: 'early',
  late: 'late',
  pedal: 'pedal',
  softer: 'softer',
  louder: 'louder',
};
function counts(slips: readonly Slip[]): string {
  const all = new Map<string, number>();
  for (const { kind } of slips) all.set(KINDS[kind], (all.get(KINDS[kind]) ?? 0) + 1);
  return [...all].map(([kind, n]) => (kind === 'pedal' ? 'pedal' : `${n} ${kind}`)).join(', ');
}
/** Words for differences that are no slip: several takes play another way, or one take its own. */
const OTHER_WAYS = { several: 'another way', alone: 'its own way: meant?' } as const;
function otherWay({ variation, alone }: TakeBar): string {
  if (!variation) return '';
  return alone ? OTHER_WAYS.alone : OTHER_WAYS.several;
}
const isSlip = (words: string): boolean => words !== '' && !Object.values<string>(OTHER_WAYS).includes(words);

/** Takes that are late or early throughout, with the command that moves them. */
const off = computed(() =>
  pick.lanes.flatMap((take) => {
    const ms = Math.round(pick.known?.comparison.lags.get(take.id) ?? 0);
    if (ms === 0) return [];
    return [{ take, says: `${Math.abs(ms)} ms ${ms > 0 ? 'late' : 'early'} throughout`, by: -ms }];
  }),
);
const way = (by: number): string => `Move it ${Math.abs(by)} ms ${by > 0 ? 'later' : 'earlier'}`;

const rows = computed(() => {
  const bar = pick.barRange(pick.cursor.bar);
  return pick.lanes.flatMap((take) => {
    const facts = pick.known?.comparison.bars.get(take.id)?.get(pick.cursor.bar);
    if (!facts) return [];
    const velocities = reading
      .readTake(take)
      .notes.filter((n) => inRange(n.start, bar))
      .map((n) => n.velocity);
    const mean = velocities.reduce((a, b) => a + b, 0) / Math.max(1, velocities.length);
    const uneven = Math.sqrt(velocities.reduce((sum, v) => sum + (v - mean) ** 2, 0) / Math.max(1, velocities.length));
    return [
      {
        take,
        picked: pick.part!.comp.some((p) => p.takeId === take.id && inRange(bar.from, p)),
        spread: facts.spread === null ? '' : `±${Math.round(facts.spread)} ms`,
        touch: velocities.length ? `${Math.round(mean)} ±${Math.round(uneven)}` : '',
        slips: counts(facts.slips) || otherWay(facts),
        says: facts.slips.map((s) => slipWords(s, openSong.maps.meter)).join('; '),
      },
    ];
  });
});
const few = computed(() => rows.value.length > 0 && rows.value.length < FEWEST_TAKES);
const said = computed(() => rows.value.find((r) => r.take.id === pick.atCursor?.id)?.says ?? '');
</script>

<template>
  <section :aria-label="`Bar ${pick.cursor.bar}, side by side`">
    <div class="head">
      <div class="label">Bar {{ pick.cursor.bar }}, side by side</div>
      <v-btn size="x-small" :disabled="pick.there.length < 2 || !pick.atCursor" @click="emit('against')"
        >Two, compared</v-btn
      >
    </div>
    <div class="sheet panel">
      <table v-if="rows.length">
        <thead>
          <tr>
            <th scope="col">Take</th>
            <th scope="col">Spread</th>
            <th scope="col">Velocity</th>
            <th scope="col">Slips</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.take.id" :class="{ picked: row.picked }">
            <td>{{ row.take.number }}{{ row.picked ? ', picked' : '' }}</td>
            <td class="figures">{{ row.spread }}</td>
            <td class="figures">{{ row.touch }}</td>
            <td :class="{ slips: isSlip(row.slips) }">{{ row.slips }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">No take covers this bar.</p>
      <p v-if="said" class="said">Take {{ pick.atCursor!.number }}: {{ said }}.</p>
      <p v-for="o in off" :key="o.take.id" class="off">
        <span>Take {{ o.take.number }} is {{ o.says }}.</span>
        <v-btn size="x-small" @click="pick.moveTake(o.take.id, o.by / 1000)">{{ way(o.by) }}</v-btn>
      </p>
      <p v-if="few" class="quiet">From three takes on they say of each other what was meant.</p>
    </div>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 4px;
}
.panel {
  padding: 8px 12px;
  max-height: 190px;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 12.5px;
}
th {
  text-align: left;
  font-weight: 500;
  color: var(--ink-2);
  font-size: 11px;
}
td {
  padding: 1px 6px 1px 0;
}
.picked td {
  font-weight: 600;
}
.slips {
  color: var(--copper-ink);
}
.off {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
}
p {
  margin: 6px 0 0;
  font-size: 12px;
}
</style>
