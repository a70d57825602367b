<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed } from 'vue';
import { leadInStart } from '~~/core/recording/plan';
import { EARLY } from '~~/core/recording/stepping';
import { recordedRange } from '~~/core/recording/settings';
import type { Span } from '~~/core/vocabulary/modes';
import { lengthWords } from '~~/core/recording/brief';
import { positionAt } from '~~/core/time/meter';
import type { Brief } from '~~/core/document/brief';
import { useOpenSong } from '~/song/openSong';
import { useRoll } from '~/transport/roll';

/** Settings of how a pass begins and ends: count-off, wait, lead-in, lead-out, and the early allowance. */
const openSong = useOpenSong();
const roll = useRoll();
const brief = computed(() => openSong.document.brief);
const set = (to: Partial<Brief>) => openSong.setBrief(to);

const COUNTS = [0, 1, 2, 3, 4];
const BEATS = [1, 2, 3, 4];
const WAITS = [
  { value: 'no', text: 'Do not wait', says: 'The music starts when the count is over.' },
  {
    value: 'start',
    text: 'My first note is the start',
    says: 'The count goes round until you play; your first note is the song’s first tick.',
  },
  {
    value: 'join',
    text: 'Join the count',
    says:
      'The count goes round; the bar you come in on becomes the first bar, and your note keeps its place ' +
      'against the pulse.',
  },
] as const;
/** Giving a length also switches the lead-in on. */
const setLeadIn = (leadIn: Span) =>
  set({ leadIn, leadInOn: brief.value.leadInOn || leadIn.count !== brief.value.leadIn.count });
const leadInAt = computed(() => {
  const { meter, end } = openSong.maps;
  const { from } = recordedRange(brief.value, roll.playhead, end);
  const start = leadInStart(openSong.document, meter, from);
  return start < from ? positionAt(meter, start).bar : null;
});
</script>

<template>
  <div class="lead">
    <ChoiceGroup label="Count-off">
      <Choice
        v-for="n in COUNTS"
        :key="n"
        :on="brief.countOffBeats === null && brief.countOffBars === n"
        @click="set({ countOffBars: n, countOffBeats: null })"
        >{{ n === 0 ? 'No count' : many(n, 'bar') }}</Choice
      >
      <Choice
        v-for="n in BEATS"
        :key="`beats ${n}`"
        :on="brief.countOffBeats === n"
        @click="set({ countOffBeats: n })"
        >{{ many(n, 'beat') }}</Choice
      >
    </ChoiceGroup>
    <label class="check"
      ><input
        type="checkbox"
        :checked="brief.countOnPlay"
        @change="set({ countOnPlay: ($event.target as HTMLInputElement).checked })"
      />
      Count before Play as well</label
    >

    <div class="label">Wait for a note</div>
    <div class="choices column">
      <template v-for="w in WAITS" :key="w.value">
        <Choice :on="brief.wait === w.value" @click="set({ wait: w.value })">{{ w.text }}</Choice>
        <p v-if="brief.wait === w.value" class="quiet">{{ w.says }}</p>
      </template>
    </div>

    <div class="label">Music before and after</div>
    <div class="span">
      <SpanField label="Lead-in" :model-value="brief.leadIn" @update:model-value="setLeadIn" />
      <label class="check"
        ><input
          type="checkbox"
          :checked="brief.leadInOn"
          @change="set({ leadInOn: ($event.target as HTMLInputElement).checked })" />
        on <ActionKey action="lead-in"
      /></label>
    </div>
    <div class="span">
      <SpanField
        label="Lead-out"
        :model-value="brief.leadOut"
        @update:model-value="(leadOut: Span) => set({ leadOut })"
      />
    </div>
    <p class="quiet">
      {{
        brief.wait !== 'no' && brief.leadIn.count
          ? 'While a note is waited for, there is no lead-in.'
          : leadInAt
            ? `The music starts at bar ${leadInAt}. On the chart, drag the foot of the in-bracket to where it starts.`
            : 'Drag the foot of the in-bracket on the chart to where the music starts. Play starts where you point.'
      }}
    </p>

    <div class="label">Early notes</div>
    <ChoiceGroup label="Early notes">
      <Choice v-for="e in EARLY" :key="e" :on="brief.early === e" @click="set({ early: e })">{{
        e === 0 ? 'none' : lengthWords(e)
      }}</Choice>
    </ChoiceGroup>
    <p class="quiet">
      A note struck this much ahead of the start belongs to the recording and sounds from the start on. When it was
      struck is kept.
    </p>
  </div>
</template>

<style scoped>
.lead {
  display: grid;
  gap: 7px;
}
.lead p {
  margin: 0;
  font-size: 12px;
}
.choices.column {
  flex-direction: column;
  align-items: stretch;
}
.span {
  display: grid;
  grid-template-columns: 64px 64px 80px 1fr;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.check {
  font-size: 13px;
}
</style>
