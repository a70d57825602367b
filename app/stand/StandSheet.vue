<script setup lang="ts">
import { computed, ref } from 'vue';
import type { StandFacts } from './standFacts';

/** Stand: what a player needs from two metres away. Sizes and shapes say the same as colours. */
const props = defineProps<{ facts: StandFacts }>();
const counts = computed(() => props.facts.lamp === 'count');
/** True to show rows of bars even if the client sent pages. */
const rows = ref(false);
const withPages = computed(() => props.facts.sheet !== null && !rows.value);
/** True while a pass runs or begins. */
const isLive = computed(() => counts.value || props.facts.lamp === 'record' || props.facts.lamp === 'lead');
</script>

<template>
  <section class="stand" :class="[facts.lamp, { live: isLive, paged: withPages }]" aria-label="Stand">
    <header>
      <h1 class="names section">{{ facts.section }}</h1>
      <p class="next">{{ facts.next }}</p>
      <button v-if="facts.sheet" class="other" @click="rows = !rows">{{ rows ? 'Sheet' : 'Bars' }}</button>
    </header>
    <SheetPages v-if="withPages" class="music" :shown="facts.sheet!" />
    <div class="middle">
      <div class="place figures" aria-label="Bar and beat">
        <b>{{ facts.bar }}</b><i>·</i><b>{{ facts.beat }}</b>
      </div>
      <div class="what" role="status">
        <div class="lamp" aria-hidden="true">
          <b v-if="counts" class="names">{{ facts.count }}</b>
          <svg v-else viewBox="0 0 100 100">
            <circle v-if="facts.lamp === 'record'" cx="50" cy="50" r="34" />
            <path v-else-if="facts.lamp === 'play' || facts.lamp === 'lead'" d="M30 18 L82 50 L30 82 Z" />
            <rect v-else x="22" y="44" width="56" height="12" />
          </svg>
        </div>
        <div>
          <div class="names state">{{ facts.state }}</div>
          <div class="below">{{ facts.below }}</div>
        </div>
      </div>
    </div>
    <ol
      v-for="(row, i) in withPages ? [] : facts.rows"
      :key="i"
      class="row"
      :class="{ after: i > 0 }"
      :aria-label="`Row ${i + 1}`"
    >
      <li v-for="b in row" :key="b.bar" :class="[b.is, { here: b.bar === facts.bar }]">
        {{ b.bar }}<span v-if="b.written" class="written">{{ b.written }}</span>
      </li>
    </ol>
    <p v-if="facts.notice" class="notice" role="alert">{{ facts.notice }}</p>
    <footer>
      <p class="brief-line">{{ facts.brief }}</p>
      <p class="takes">{{ facts.takes }}</p>
    </footer>
    <CommandKeys v-if="facts.commands" :held="facts.commands" />
  </section>
</template>

<style scoped>
.stand {
  position: fixed;
  inset: 0;
  z-index: 2400;
  display: grid;
  grid-template: auto 1fr / minmax(0, 1fr);
  grid-auto-rows: auto;
  gap: 16px;
  padding: 22px 40px 24px;
  background: var(--paper);
  color: var(--ink);
  border: 14px solid transparent;
}
/* With pages, what is said of the pass stands in a column beside them. */
.stand.paged {
  grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr) 250px;
  gap: 8px 16px;
  padding: 10px 18px;
}
.paged header,
.paged footer {
  grid-column: 1 / -1;
}
.paged .section {
  font-size: 38px;
}
.paged .next,
.paged .brief-line,
.paged .takes {
  font-size: 20px;
}
.paged .middle,
.paged .what {
  display: block;
}
.paged .place {
  font-size: 84px;
}
.paged .place i {
  font-size: 50px;
  vertical-align: 12px;
  margin: 0 2px;
}
.paged .lamp {
  width: 130px;
  height: 130px;
  margin: 14px 0;
}
.paged .lamp b {
  font-size: 84px;
}
.paged .lamp svg {
  width: 76px;
}
.paged .state {
  font-size: 36px;
}
.paged .below {
  font-size: 19px;
}
.other {
  font-size: 20px;
  text-decoration: underline;
  text-underline-offset: 4px;
}
/* Recording is a frame round the whole sheet, and a full lamp; a count is its number. */
.stand.record {
  border-color: var(--live-fill);
}
.stand.count,
.stand.lead {
  border: 14px dashed var(--live-fill);
}
header,
footer {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  gap: 30px;
}
h1,
p {
  margin: 0;
}
.section {
  font-size: 64px;
  line-height: 1.1;
}
.next {
  font-size: 30px;
  color: var(--ink-2);
  white-space: nowrap;
}
.section,
.brief-line {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.middle {
  display: grid;
  grid-template-columns: auto 1fr;
  align-items: center;
  gap: 60px;
  min-height: 0;
}
.place {
  font-size: 210px;
  line-height: 1;
  white-space: nowrap;
}
.place b {
  font-weight: 600;
}
.place i {
  font-style: normal;
  font-size: 110px;
  color: var(--ink-3);
  margin: 0 10px;
  vertical-align: 30px;
}
.what {
  display: grid;
  grid-template-columns: 190px 1fr;
  align-items: center;
  gap: 30px;
  min-width: 0;
}
.lamp {
  width: 190px;
  height: 190px;
  border-radius: 50%;
  border: 6px solid var(--rule);
  display: grid;
  place-items: center;
  color: var(--ink-3);
}
.live .lamp {
  border-color: var(--live-fill);
  color: var(--live);
}
.record .lamp {
  background: var(--live-fill);
  color: var(--plate-ink);
}
.play .lamp {
  border-color: var(--ink);
  color: var(--ink);
}
.lamp b {
  font-size: 130px;
  line-height: 1;
}
.lamp svg {
  width: 110px;
  fill: currentcolor;
}
.state {
  font-size: 58px;
  line-height: 1.05;
}
.below {
  font-size: 26px;
  color: var(--ink-2);
}
.row {
  display: flex;
  gap: 8px;
  margin: 0;
  padding: 0;
  list-style: none;
  font: 600 34px var(--figures);
}
.row li {
  flex: 1;
  max-width: 300px;
  padding: 12px 0;
  text-align: center;
  background: var(--sheet);
  border: 2px solid var(--rule);
  border-bottom-width: 10px;
  border-radius: 8px;
}
.written {
  display: block;
  font: 600 24px var(--text);
  overflow-wrap: anywhere;
}
.row.after li {
  padding: 4px 0;
  font-size: 26px;
}
.row li.lead-in {
  background: var(--rule-soft);
  border-bottom-style: dashed;
  border-bottom-color: var(--ink-2);
}
.row li.recorded {
  border-bottom-color: var(--live);
}
.row li.here {
  background: var(--ink);
  color: var(--sheet);
  border-color: var(--ink);
}
.row li.here.recorded {
  border-bottom-color: var(--live);
}
.brief-line {
  font: 500 26px var(--names);
}
.notice {
  padding: 8px 14px;
  border-radius: 10px;
  background: var(--copper-soft);
  color: var(--copper-ink);
  font-size: 24px;
  font-weight: 600;
}
.takes {
  font-size: 26px;
  white-space: nowrap;
}
@media (max-width: 1100px) {
  .place {
    font-size: 150px;
  }
  .what {
    grid-template-columns: 130px 1fr;
  }
  .lamp {
    width: 130px;
    height: 130px;
  }
  .lamp b {
    font-size: 90px;
  }
  .state {
    font-size: 46px;
  }
  .middle {
    gap: 30px;
  }
}
</style>
