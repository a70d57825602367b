<script setup lang="ts">
import { computed } from 'vue';
import { CLICK_SOUNDS, CLICK_WHEN } from '~~/core/document/click';
import { useOpenSong } from '~/song/openSong';

/** Sound of the click and when it is heard, and the count-off. */
const openSong = useOpenSong();
const click = computed(() => openSong.document.click);
const brief = computed(() => openSong.document.brief);
const set = (to: Partial<typeof click.value>) => openSong.setClick(to);
const WHEN = { counting: 'Counting only', recording: 'While recording', always: 'Always', never: 'Never' } as const;
const PARTS = { 1: 'Beats', 2: 'Halves', 3: 'Thirds', 4: 'Quarters' } as const;
const BARS = [0, 1, 2, 4];
const BEATS = [1, 2, 3, 4, 6];
const capital = (word: string) => word[0]!.toUpperCase() + word.slice(1);
</script>

<template>
  <div class="click">
    <div class="label">Click</div>
    <div class="sheet panel">
      <span class="quiet">Sound</span>
      <ChoiceGroup label="Click sound">
        <Choice v-for="s in CLICK_SOUNDS" :key="s" :on="click.sound === s" @click="set({ sound: s })">{{
          capital(s)
        }}</Choice>
      </ChoiceGroup>
      <span class="quiet">Heard</span>
      <ChoiceGroup label="When the click is heard">
        <Choice v-for="w in CLICK_WHEN" :key="w" :on="click.when === w" @click="set({ when: w })">{{ WHEN[w] }}</Choice>
      </ChoiceGroup>
      <span class="quiet">Per beat</span>
      <ChoiceGroup label="Clicks per beat">
        <Choice
          v-for="(label, n) in PARTS"
          :key="n"
          :on="click.subdivision === Number(n)"
          @click="set({ subdivision: Number(n) })"
          >{{ label }}</Choice
        >
      </ChoiceGroup>
      <span class="quiet">First beat</span>
      <ChoiceGroup label="First beat of the bar">
        <Choice :on="click.accent" @click="set({ accent: true })">Accented</Choice>
        <Choice :on="!click.accent" @click="set({ accent: false })">Like the others</Choice>
      </ChoiceGroup>
      <span class="quiet">Level</span>
      <v-slider
        :model-value="click.gainDb"
        min="-40"
        max="6"
        step="1"
        density="compact"
        aria-label="Click, level in dB"
        @end="(gainDb: number) => set({ gainDb })"
      />
    </div>
    <div class="label">Count-off</div>
    <div class="sheet panel">
      <span class="quiet">Bars</span>
      <ChoiceGroup label="Count-off in bars">
        <Choice
          v-for="n in BARS"
          :key="n"
          :on="brief.countOffBeats === null && brief.countOffBars === n"
          @click="openSong.setBrief({ countOffBars: n, countOffBeats: null })"
          >{{ n === 0 ? 'None' : n }}</Choice
        >
      </ChoiceGroup>
      <span class="quiet">Beats</span>
      <ChoiceGroup label="Count-off in beats">
        <Choice
          v-for="n in BEATS"
          :key="n"
          :on="brief.countOffBeats === n"
          @click="openSong.setBrief({ countOffBeats: n })"
          >{{ n }}</Choice
        >
      </ChoiceGroup>
    </div>
  </div>
</template>

<style scoped>
.click {
  display: grid;
  gap: 6px;
  align-content: start;
}
.panel {
  padding: 10px 12px;
  display: grid;
  grid-template-columns: 66px 1fr;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.panel :deep(.choices .v-btn) {
  min-width: 0;
  padding: 0 8px;
}
</style>
