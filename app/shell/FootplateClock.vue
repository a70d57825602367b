<script setup lang="ts">
import { useFrames } from '~/drawing/useFrames';
import { computed, ref } from 'vue';
import { bpmAt, secondsAt } from '~~/core/time/tempo';
import { useReading } from '~/song/reading';
import { usePass } from '~/transport/pass';
import { usePlace } from '~/transport/place';
import { useRoll } from '~/transport/roll';
import { useSong } from '~/song/song';
import { vHint } from '~/controls/hint';

/** Place in the song and its clock. The text is written directly, so that nothing is rendered for it. */
const reading = useReading();
const pass = usePass();
const place = usePlace();
const roll = useRoll();
const song = useSong();
const percent = computed(() => `${Math.round((song.document?.speed ?? 1) * 100)}%`);
const clock = ref<HTMLElement | null>(null);

const clockText = (seconds: number) => {
  const s = Math.max(0, seconds);
  return `${Math.floor(s / 60)}:${(s % 60).toFixed(1).padStart(4, '0')}`;
};
const write = (element: HTMLElement | null, text: string): void => {
  if (element && element.textContent !== text) element.textContent = text;
};

useFrames(
  () => roll.moves,
  () => {
    const { maps } = reading;
    if (!maps) {
      write(clock.value, '');
      return;
    }
    const { phase, plan } = pass;
    // During the count the clock shows the tempo of the place where the music will start.
    const tick = plan && (phase === 'counting' || phase === 'waiting') ? plan.music : roll.tickNow();
    write(
      clock.value,
      `${clockText(secondsAt(maps.tempo, tick))}  ${Math.round(bpmAt(maps.tempo, tick) * 10) / 10} bpm`,
    );
  },
);
</script>

<template>
  <div class="place" aria-label="Position">
    <div class="figures position" data-test="position">
      <span>{{ place.now?.bar ?? '–' }}</span><i>·</i><span>{{ place.now?.beat ?? '–' }}</span>
    </div>
    <div class="line">
      <span ref="clock" class="figures clock" />
      <Popup v-if="song.document" label="Practice speed" location="top">
        <template #activator="{ props }"
          ><button
            v-bind="props"
            class="figures speed"
            :class="{ slow: song.document.speed < 1 }"
            v-hint="'Practice speed, slower − and faster +'"
            :aria-label="`Practice speed: ${percent}`"
          >
            {{ percent }}
          </button></template
        >
        <div class="label">Practice speed</div>
        <SpeedChoice />
      </Popup>
    </div>
  </div>
</template>

<style scoped>
.place {
  text-align: center;
  contain: strict;
  width: 188px;
  height: 72px;
  padding-top: 2px;
}
@media (max-width: 1200px) and (min-width: 1001px) {
  .place {
    width: 160px;
    zoom: 0.8;
  }
}
.position {
  font-size: 42px;
  line-height: 1.05;
  white-space: nowrap;
}
.position i {
  font-style: normal;
  font-size: 24px;
  margin: 0 5px;
  color: var(--plate-ink-2);
  vertical-align: 5px;
}
.line {
  display: flex;
  justify-content: center;
  align-items: baseline;
  gap: 8px;
}
.speed {
  font-size: 13px;
  color: var(--plate-ink-2);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.speed.slow {
  color: var(--plate-copper);
  font-weight: 700;
}
.clock {
  font-size: 13px;
  color: var(--plate-ink-2);
  white-space: pre;
}
</style>
