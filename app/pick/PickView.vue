<script setup lang="ts">
import { mdiChevronLeft, mdiChevronRight } from '@mdi/js';
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue';
import { laneWords } from '~~/core/recording/brief';
import { laneOf } from '~~/core/performance/controls';
import { useShortcuts } from '~/shell/useShortcuts';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useKeyboards } from '~/keyboards/keyboards';
import { vHint } from '~/controls/hint';
import { usePass } from '~/transport/pass';
import { useSession } from '~/transport/session';
import AgainstDialog from './AgainstDialog.vue';
import BarTable from './BarTable.vue';
import FileTake from './FileTake.vue';
import JoinList from './JoinList.vue';
import PickSentence from './PickSentence.vue';
import SuggestPanel from './SuggestPanel.vue';
import TakeLanes from './TakeLanes.vue';
import TakeSheet from './TakeSheet.vue';
import { ORDERS, usePick } from './pick';

/** Station where the best take of each bar is picked. */
const pick = usePick();
const openSong = useOpenSong();
const reading = useReading();
const keyboards = useKeyboards();
const pass = usePass();
const session = useSession();
const join = ref<number | null>(null);
const joins = useTemplateRef('joins');
const sheet = ref(false);
const against = ref(false);

const letter = (key: string) => (keyboards.computerPlays ? `Ctrl ${key}` : key);
const holdsIn = () => {
  const take = pick.atCursor;
  if (take && !pick.running) pick.hear({ takeId: take.id, range: pick.selected ?? pick.shownRange });
};
const holdsWhole = () => {
  const take = pick.atCursor;
  if (take && !pick.running) pick.hear({ takeId: take.id, range: null });
};
useShortcuts(
  {
    t: holdsIn,
    'shift+t': holdsWhole,
    f: pick.beginRun,
    j: () => joins.value?.step(1),
    'shift+j': () => joins.value?.step(-1),
    pagedown: () => pick.step(1),
    pageup: () => pick.step(-1),
    arrowup: () => pick.toLane(-1),
    arrowdown: () => pick.toLane(1),
  },
  { t: pick.stopHearing },
);
/** Sets the brief's loop to the shown range. */
function goRound(): void {
  const range = { from: pick.shownRange.from, to: pick.shownRange.to };
  openSong.setBrief({ range, punchIn: true, punchOut: true, loop: true });
  session.seek(range.from);
  void session.playFromHere();
}
/** Controllers that the take at the cursor moves in the selected bars. */
const lanesThere = computed(() => {
  const take = pick.atCursor;
  if (!take) return [];
  const inside = reading.readTake(take).controls.filter((c) => c.at >= pick.target.from && c.at < pick.target.to);
  return [...new Set(inside.map((c) => laneOf(c.message)))].slice(0, 4);
});
const ORDER_WORDS = { number: 'By number', marks: 'By marks', steadiest: 'Steadiest first' } as const;
const orders = ORDERS.map((value) => ({ value, title: ORDER_WORDS[value] }));
const EDGES = [
  { value: 'bar', title: 'Edges on bars' },
  { value: 'beat', title: 'Edges on beats' },
  { value: 'free', title: 'Edges anywhere' },
] as const;
onMounted(() => pick.enter());
onBeforeUnmount(() => pick.leave());
</script>

<template>
  <div class="pick">
    <PickSentence @joins="joins?.step(1)" />
    <div class="middle">
      <div class="tools">
        <v-btn
          size="x-small"
          variant="text"
          :icon="mdiChevronLeft"
          aria-label="The section before"
          v-hint="'The section before (Page up)'"
          @click="pick.step(-1)"
        />
        <v-btn
          size="x-small"
          variant="text"
          :icon="mdiChevronRight"
          aria-label="The next section"
          v-hint="'The next section (Page down)'"
          @click="pick.step(1)"
        />
        <v-btn size="small" v-hint="'Play it round and round: the loop is set to it'" @click="goRound"
          >Go round it</v-btn
        >
        <Choice
          :on="pick.running !== null"
          v-hint="
            `While it plays, Up and Down switch takes, and each passage keeps the take that was heard (${letter('F')})`
          "
          :disabled="!pass.rolling || !pick.atCursor"
          @click="pick.running ? pick.endRun() : pick.beginRun()"
          >Pick as it plays</Choice
        >
        <SmallSelect v-model="pick.order" :items="orders" label="Order of the takes" />
        <SmallSelect v-model="pick.edges" :items="EDGES" label="Where edges go" />
        <v-btn v-if="pick.hidden.size" size="small" @click="pick.showAll()">Show {{ pick.hidden.size }} hidden</v-btn>
        <span class="space" />
        <FileTake />
        <v-btn size="small" :disabled="!pick.part?.comp.length" @click="pick.makeTake()">Make it one take</v-btn>
        <v-btn size="small" :disabled="!pick.part?.takes.length" @click="sheet = true">Take sheet</v-btn>
      </div>
      <TakeLanes v-model:join="join" />
    </div>
    <aside class="side">
      <BarTable @against="against = true" />
      <JoinList ref="joins" v-model="join" />
      <SuggestPanel />
      <section aria-label="Hearing">
        <div class="label">Hearing</div>
        <div class="sheet panel">
          <p role="status">
            <template v-if="pick.running"
              >Take {{ pick.numberOf(pick.running.takeId) }} is picked as it plays. Up and Down switch.</template
            >
            <template v-else-if="pick.hearing?.range"
              >The line, with take {{ pick.numberOf(pick.hearing.takeId) }} in it.</template
            >
            <template v-else-if="pick.hearing">Take {{ pick.numberOf(pick.hearing.takeId) }} alone.</template>
            <template v-else>The line.</template>
          </p>
          <p class="quiet">
            Hold <kbd>{{ letter('T') }}</kbd> for the take at the cursor in the line, with Shift for all of it alone.
            <kbd>Enter</kbd> picks, <kbd>{{ letter('J') }}</kbd> goes to the next join.
          </p>
          <div v-if="lanesThere.length" class="choices" role="group" aria-label="Controllers alone">
            <span class="quiet small">Alone from take {{ pick.atCursor!.number }}:</span>
            <v-btn v-for="l in lanesThere" :key="l" size="x-small" @click="pick.pickController(pick.atCursor!, l)">{{
              laneWords(l)
            }}</v-btn>
            <v-btn v-if="lanesThere.length > 1" size="x-small" @click="pick.pickController(pick.atCursor!, null)"
              >all controllers</v-btn
            >
          </div>
        </div>
      </section>
    </aside>
    <v-dialog v-model="against" max-width="1080" aria-label="Two takes, compared"
      ><AgainstDialog v-if="against" @close="against = false"
    /></v-dialog>
    <v-dialog v-model="sheet" max-width="860" aria-label="Take sheet"><TakeSheet @close="sheet = false" /></v-dialog>
  </div>
</template>

<style scoped>
.pick {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) 276px;
  gap: 10px 16px;
  height: 100%;
}
.pick > :first-child {
  grid-column: 1 / -1;
}
.middle {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  gap: 8px;
  min-height: 0;
  min-width: 0;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.tools .small-select {
  flex: 0 0 142px;
}
.space {
  flex: 1;
}
.side {
  display: grid;
  gap: 8px;
  align-content: start;
  overflow: auto;
  min-height: 0;
}
.panel {
  padding: 8px 10px;
}
p {
  margin: 2px 0;
  font-size: 12.5px;
}
.small {
  font-size: 12px;
}
kbd {
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0 4px;
  font: 11px var(--figures);
  color: var(--ink-2);
  opacity: 1;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .pick {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
}
</style>
