<script setup lang="ts">
import { decibelsFromGain } from '~~/core/time/units';
import { many } from '~~/core/vocabulary/many';
import { computed, ref } from 'vue';
import { playingTime } from '~~/core/lookback/buffer';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLookBack } from '~/look-back/lookBack';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { vHint } from '~/controls/hint';
import { METER_TURNS, useFrames, useReadablePace } from '~/drawing/useFrames';

/** Meters of look-back, keys and output. */
const song = useSong();
const sound = useSound();
const keyboards = useKeyboards();
const lookBack = useLookBack();

/** Words for what look-back holds that is in no take. */
const heldText = computed(() => {
  const all = lookBack.passages;
  const notes = all.reduce((n, s) => n + s.notes, 0);
  const minutes = all.reduce((ms, s) => ms + playingTime(s.events), 0) / 60_000;
  return notes === 0
    ? 'nothing held'
    : `${many(notes, 'note')}${minutes >= 1 ? `, ${Math.round(minutes)} min` : ''} held`;
});

const FLOOR_DB = -60;
const decibels = (size: number) => (size > 0 ? Math.max(FLOOR_DB, decibelsFromGain(size)) : FLOOR_DB);
const levelText = ref<HTMLElement | null>(null);
const levelCard = ref<HTMLElement | null>(null);
const levelBar = ref<HTMLElement | null>(null);
/** The value is written directly, so that nothing is rendered when the playhead moves. */
const sayLevel = useReadablePace((level) => {
  if (!levelText.value || !levelCard.value) return;
  levelText.value.textContent = level <= FLOOR_DB + 1 ? 'silent' : `${level.toFixed(1).replace('-', '−')} dBFS`;
  levelCard.value.ariaValueNow = String(Math.round(level));
});
let shown = NaN;
useFrames(
  () => sound.sounds,
  () => {
    const level = decibels(sound.peak);
    if (level === shown || !levelBar.value) return;
    shown = level;
    sayLevel(level);
    levelBar.value.style.transform = `scaleX(${1 - level / FLOOR_DB})`;
  },
  METER_TURNS,
);
const keysText = computed(() => {
  const n = keyboards.held.size;
  if (n) return many(n, 'note');
  return keyboards.pedal ? 'pedal' : 'quiet';
});
const keysName = computed(() => {
  const on = keyboards.active.filter((k) => k.kind !== 'screen');
  const [only, ...others] = on;
  if (!only) return 'Keys on screen';
  return others.length ? `${on.length} keyboards` : keyboards.nameOf(only);
});
</script>

<template>
  <div class="meters">
    <button
      class="row held"
      :disabled="!song.document"
      v-hint="'Everything that was played: see, hear and keep it'"
      @click="lookBack.opened = true"
    >
      <span>Look-back</span><span>{{ heldText }}</span>
    </button>
    <div class="row" v-hint="`Keys in: ${keysName}`">
      <span>{{ keysName }}</span><span>{{ keysText }}</span>
    </div>
    <div class="bar" aria-hidden="true"><i class="keys" :class="{ held: keyboards.held.size > 0 }" /></div>
    <div class="row">
      <span>Out</span>
      <button v-if="sound.clips" class="clips" v-hint="'Forget the clips'" @click="sound.clearClips()">
        {{ sound.clips }} clipped
      </button>
      <span ref="levelText" />
    </div>
    <div
      ref="levelCard"
      class="bar"
      role="meter"
      :aria-valuenow="FLOOR_DB"
      :aria-valuemin="FLOOR_DB"
      aria-valuemax="0"
      aria-label="Level at the output, dBFS"
    >
      <i ref="levelBar" :class="{ over: sound.clips }" />
    </div>
  </div>
</template>

<style scoped>
.meters {
  font-size: 12px;
  color: var(--plate-ink-2);
  contain: content;
}
.held {
  width: 100%;
  color: inherit;
  text-decoration: underline;
  text-decoration-color: var(--plate-3);
  text-underline-offset: 2px;
  margin-bottom: 4px;
}
.row {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  white-space: nowrap;
}
.row span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
}
.bar {
  height: 4px;
  border-radius: 2px;
  background: var(--plate-2);
  margin: 2px 0 5px;
  overflow: hidden;
}
.bar i {
  display: block;
  height: 100%;
  background: var(--plate-brass);
  transform-origin: left;
  transform: scaleX(0);
  will-change: transform;
}
.bar .keys {
  background: var(--plate-moss);
  transition: transform 0.3s linear;
}
.bar .keys.held {
  transform: none;
  transition: none;
}
.bar .over {
  background: var(--live-fill);
}
.clips {
  color: var(--plate-copper);
  font-size: 12px;
  font-weight: 600;
}
</style>
