<script setup lang="ts">
import { computed, ref } from 'vue';
import { rangeWords } from '~~/core/time/words';
import { LAP_NAMES, LAP_POLICIES, type LapPolicy } from '~~/core/vocabulary/modes';
import { sectionsOf } from '~~/core/document/maps';
import { positionAt } from '~~/core/time/meter';
import { typedPlace } from '~~/core/recording/typedBars';
import type { Brief } from '~~/core/document/brief';
import { useOpenSong } from '~/song/openSong';
import { useRange } from '~/transport/useRange';

/** Choice of the bars to record, and of a loop. */
const openSong = useOpenSong();
const { setRange, setEdge, toggleLoop } = useRange();
const brief = computed(() => openSong.document.brief);
const set = (to: Partial<Brief>) => openSong.setBrief(to);
const sections = computed(() => sectionsOf(openSong.document, openSong.maps.meter).filter((s) => s.name));
const wrong = ref('');

const LAP_WORDS: Readonly<Record<LapPolicy, string>> = {
  'a new take each': 'Every lap with a note in it is a take; the latest is heard.',
  'build up': 'Each lap is merged into what is there.',
  'fresh, then build up': 'The first lap you play in starts a new take; the rest are merged into it.',
  'play to overwrite': 'A lap takes the place of what is there, if you played in it. A silent lap leaves it as it is.',
  'keep the last full lap': 'Only the last lap that ran to its end is heard; the others stay as takes.',
  'a layer each': 'Every lap is kept apart and all are heard. Each can be muted, or moved out to a part of its own.',
};

function typed(which: 'from' | 'to', text: string): void {
  const tick = typedPlace(openSong.maps.meter, openSong.document.bars, which, text);
  wrong.value = '';
  if (tick === null) {
    wrong.value = [
      `“${text}” is not a place in this song.`,
      'Type a bar, 17 say, or a bar and a beat, 17.3. Nothing was changed.',
    ].join(' ');
    return;
  }
  setEdge(which, tick);
}
const shown = computed(() => {
  const { meter } = openSong.maps;
  const { range } = brief.value;
  if (!range) return { from: '', to: '' };
  const words = (tick: number, end: boolean) => {
    const { bar, beat, tick: rest } = positionAt(meter, tick);
    if (beat === 1 && rest < 1) return String(end ? bar - 1 : bar);
    return `${bar}.${beat}${rest < 1 ? '' : '+'}`;
  };
  // Typing into an end that is off switches it on.
  return {
    from: brief.value.punchIn ? words(range.from, false) : '',
    to: brief.value.punchOut ? words(range.to, true) : '',
  };
});
</script>

<template>
  <div class="range">
    <p class="quiet">Drag over bars on the chart, click a section’s name, or say which.</p>
    <div class="two">
      <v-text-field
        label="From bar"
        :model-value="shown.from"
        @change="typed('from', ($event.target as HTMLInputElement).value)"
      />
      <v-text-field
        label="To the end of bar"
        :model-value="shown.to"
        @change="typed('to', ($event.target as HTMLInputElement).value)"
      />
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="checks">
      <label
        ><input
          type="checkbox"
          :disabled="!brief.range"
          :checked="brief.range !== null && brief.punchIn"
          @change="set({ punchIn: ($event.target as HTMLInputElement).checked })"
        />
        In is on</label
      >
      <label
        ><input
          type="checkbox"
          :disabled="!brief.range"
          :checked="brief.range !== null && brief.punchOut"
          @change="set({ punchOut: ($event.target as HTMLInputElement).checked })"
        />
        Out is on</label
      >
      <span class="quiet">At the playhead: in <ActionKey action="in" />, out <ActionKey action="out" /></span>
    </div>
    <ChoiceGroup label="What bars and brackets are set to">
      <Choice
        v-for="s in sections"
        :key="s.firstBar"
        :on="brief.range?.from === s.from && brief.range?.to === s.to && brief.punchIn && brief.punchOut"
        @click="setRange(s)"
        >{{ s.name }}, {{ rangeWords(s, openSong.maps.meter) }}</Choice
      >
      <Choice
        :on="!brief.range || (!brief.punchIn && !brief.punchOut)"
        @click="set({ punchIn: false, punchOut: false, loop: false })"
        >From the playhead to the end</Choice
      >
    </ChoiceGroup>
    <div class="snap">
      <span class="quiet">Dragging sets it to</span>
      <Choice
        v-for="s in ['bar', 'beat', 'free'] as const"
        :key="s"
        size="x-small"
        :on="brief.snap === s"
        @click="set({ snap: s })"
        >{{ s === 'free' ? 'anywhere' : `${s}s` }}</Choice
      >
    </div>
    <div class="label">Loop</div>
    <label class="check"
      ><input type="checkbox" :checked="brief.loop" @change="toggleLoop()" /> Go round until I stop
      <ActionKey action="loop"
    /></label>
    <template v-if="brief.loop">
      <WayChoice
        v-for="l in LAP_POLICIES"
        :key="l"
        :way="l"
        :name="LAP_NAMES[l]"
        :on="brief.laps === l"
        @click="set({ laps: l })"
        >{{ LAP_WORDS[l] }}</WayChoice
      >
    </template>
  </div>
</template>

<style scoped>
.range {
  display: grid;
  gap: 8px;
}
.range p {
  margin: 0;
  font-size: 12px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.checks,
.snap {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  font-size: 13px;
  align-items: center;
}
.snap {
  gap: 6px;
}
.check {
  font-size: 13px;
}
.wrong {
  color: var(--copper-ink);
  font-weight: 600;
}
</style>
