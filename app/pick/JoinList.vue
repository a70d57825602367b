<script setup lang="ts">
import { computed, watch } from 'vue';
import { findingWords, placeWords, type JoinState } from '~~/core/picking/joins';
import { meterAt } from '~~/core/time/meter';
import type { Ticks } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useSession } from '~/transport/session';
import { usePick } from './pick';

/** Joins in the range, with what was found at each and the repairs. */
const pick = usePick();
const openSong = useOpenSong();
const session = useSession();
const active = defineModel<Ticks | null>({ required: true });
const meter = computed(() => openSong.maps.meter);
const WORDS = { clean: 'clean', mended: 'mended', passed: 'good by ear', open: 'wants a look' } as const;
const joins = computed(() => pick.joinsHere);
const shown = computed(() => joins.value.find((j) => j.at === active.value) ?? null);
const clean = computed(() => (shown.value ? pick.cleanFor(shown.value) : undefined));
const has = (join: JoinState, kind: string) => join.findings.some((f) => f.kind === kind);
watch(joins, (now) => {
  if (active.value !== null && !now.some((j) => j.at === active.value)) active.value = null;
});

/** Plays a join with a bar before and after it. */
function listen(join: JoinState): void {
  active.value = join.at;
  pick.stopHearing();
  session.seek(Math.max(0, join.at - meterAt(meter.value, join.at).ticksPerBar));
  void session.playFromHere();
}
function step(by: number): void {
  const all = joins.value;
  if (all.length === 0) return;
  const here = all.findIndex((j) => j.at === active.value);
  // Without a current join, stepping forward starts at the first and stepping back at the last.
  const from = here < 0 && by < 0 ? all.length : here;
  listen(all[(from + by + all.length) % all.length]!);
}
defineExpose({ step });
function move(join: JoinState, to: Ticks): void {
  pick.moveJoin(join, to);
  active.value = to;
}
</script>

<template>
  <section aria-label="Joins">
    <div class="label">Joins</div>
    <div class="sheet panel">
      <p v-if="joins.length === 0" class="quiet">None here: where one take goes over into another, it is checked.</p>
      <ul>
        <li v-for="join in joins" :key="join.at" :class="{ shown: shown?.at === join.at }">
          <button
            class="row"
            :aria-expanded="shown?.at === join.at"
            @click="active = shown?.at === join.at ? null : join.at"
          >
            <b>{{ placeWords(join.at, meter) }}</b>
            <span class="quiet">{{ pick.numberOf(join.before) }} to {{ pick.numberOf(join.after) }}</span>
            <span class="state" :class="join.state">{{ WORDS[join.state] }}</span>
          </button>
          <p v-if="join.findings.length" class="found">{{ join.findings.map(findingWords).join('; ') }}</p>
          <div v-if="shown?.at === join.at" class="choices">
            <v-btn size="x-small" @click="listen(join)">Hear it</v-btn>
            <v-btn v-if="join.state === 'open' && clean !== undefined" size="x-small" @click="move(join, clean)"
              >Move to {{ placeWords(clean, meter) }}</v-btn
            >
            <template v-if="has(join, 'held')">
              <Choice size="x-small" :on="join.choice.held === 'cut'" @click="pick.setJoin(join, { held: 'cut' })"
                >Cut</Choice
              >
              <Choice size="x-small" :on="join.choice.held === 'ring'" @click="pick.setJoin(join, { held: 'ring' })"
                >Let ring</Choice
              >
              <Choice
                size="x-small"
                :on="join.choice.held === 'take over'"
                @click="pick.setJoin(join, { held: 'take over' })"
                >Take over</Choice
              >
            </template>
            <Choice
              v-if="has(join, 'pedal') || has(join, 'held')"
              size="x-small"
              :on="join.choice.lift"
              @click="pick.setJoin(join, { lift: !join.choice.lift })"
              >Lift the pedal</Choice
            >
            <v-btn v-if="join.state === 'open'" size="x-small" @click="pick.setJoin(join, { passed: join.fingerprint })"
              >Sounds good</v-btn
            >
          </div>
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 6px 10px;
  max-height: 210px;
  overflow: auto;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.row {
  display: grid;
  grid-template-columns: 74px 1fr auto;
  gap: 6px;
  width: 100%;
  text-align: left;
  font-size: 13px;
  padding: 3px 0;
  color: var(--ink);
}
.state {
  color: var(--moss);
}
.state.open {
  color: var(--copper-ink);
  font-weight: 600;
}
.found {
  margin: 0 0 2px;
  font-size: 11.5px;
  color: var(--ink-2);
}
p {
  margin: 2px 0;
  font-size: 12px;
}
.choices {
  padding: 2px 0 6px;
}
</style>
