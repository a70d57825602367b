<script setup lang="ts">
import { computed, ref } from 'vue';
import { mdiPlay, mdiStop, mdiCircle, mdiMinus } from '@mdi/js';
import { positionAt } from '~~/core/time/meter';
import { bpmAt, secondsAt, tickAt } from '~~/core/time/tempo';
import { useFrames } from '~/composables/useFrames';
import { useKeyboards } from '~/stores/keyboards';
import { useSession } from '~/stores/session';
import { useSong } from '~/stores/song';
import { useSound } from '~/stores/sound';

const emit = defineEmits<{ undo: [] }>();
const session = useSession();
const sound = useSound();
const song = useSong();
const keyboards = useKeyboards();

const position = ref<{ bar: number | string; beat: number | string }>({ bar: '–', beat: '–' });
const clock = ref('');
const left = ref(0);
const keysLevel = ref(0);

const clockText = (seconds: number) => {
  const s = Math.max(0, seconds);
  return `${Math.floor(s / 60)}:${(s % 60).toFixed(1).padStart(4, '0')}`;
};

useFrames(() => {
  const maps = song.maps;
  if (!maps) return;
  const s = session.state;
  let tick = session.tickNow();
  if (s.phase === 'counting') {
    const now = secondsAt(maps.tempo, tick);
    // In the count the clock runs at the tempo of the place where the music starts; the position waits there.
    const beat = s.plan.count.beats.findLast((b) => b.at <= now);
    left.value = beat?.left ?? s.plan.count.beats[0]?.left ?? 0;
    tick = s.plan.range.from;
  }
  const { bar, beat } = positionAt(maps.meter, Math.max(0, tick + 0.5));
  if (position.value.bar !== bar || position.value.beat !== beat) position.value = { bar, beat };
  clock.value = `${clockText(secondsAt(maps.tempo, tick))}   ${Math.round(bpmAt(maps.tempo, tick) * 10) / 10} bpm`;
  keysLevel.value = Math.max(keyboards.held.size ? 1 : 0, keysLevel.value - 0.05);
});

const words = computed((): { state: string; below: string } => {
  const s = session.state;
  const maps = song.maps;
  if (!maps) return { state: 'No song open', below: 'Choose one on the Desk' };
  switch (s.phase) {
    case 'counting': return { state: `Counting off ${left.value}`, below: `Recording from bar ${positionAt(maps.meter, s.plan.range.from).bar}` };
    case 'recording': return { state: 'Recording', below: `Until bar ${positionAt(maps.meter, s.plan.range.to - 1).bar} ends, or Stop` };
    case 'stopping': return { state: 'Stopped', below: 'Keeping what was played' };
    case 'playing': return { state: session.asPlayed ? 'Playing as played' : 'Playing', below: `To the end, bar ${positionAt(maps.meter, tickAt(maps.tempo, s.endsAt) - 1).bar}` };
    case 'idle':
  }
  if (sound.state === 'loading' || sound.state === 'off') return { state: 'Getting ready', below: 'The sounds are loading' };
  if (sound.state === 'failed') return { state: 'No sound', below: sound.trouble };
  return { state: 'Ready', below: sound.state === 'waiting' ? 'Sound starts with your first click or key' : 'Press Record, or Space to listen' };
});

const lamp = computed(() => {
  const { phase } = session.state;
  if (phase === 'counting') return { icon: '', kind: 'live' };
  if (phase === 'recording') return { icon: mdiCircle, kind: 'live' };
  return phase === 'playing' ? { icon: mdiPlay, kind: 'playing' } : { icon: mdiMinus, kind: '' };
});

const FLOOR_DB = -60;
const decibels = (size: number) => (size > 0 ? Math.max(FLOOR_DB, 20 * Math.log10(size)) : FLOOR_DB);
const level = computed(() => decibels(sound.meter.held));
const levelText = computed(() => (level.value <= FLOOR_DB + 1 ? 'silent' : `${level.value.toFixed(1).replace('-', '−')} dBFS`));
const recording = computed(() => session.state.phase === 'counting' || session.state.phase === 'recording');
const prefix = computed(() => (keyboards.computerPlays ? 'Ctrl ' : ''));
const keysText = computed(() => {
  const n = keyboards.held.size;
  if (n) return `${n} note${n === 1 ? '' : 's'}`;
  return keyboards.pedal ? 'pedal' : 'quiet';
});
const keysName = computed(() => {
  const on = keyboards.active.filter((k) => k.kind !== 'screen');
  return on.length === 0 ? 'on screen' : on.length === 1 ? on[0]!.name : `${on.length} keyboards`;
});
</script>

<template>
  <section class="footplate" aria-label="Footplate">
    <div class="lamp" :class="lamp.kind" aria-hidden="true">
      <span v-if="session.state.phase === 'counting'" class="names">{{ left }}</span>
      <v-icon v-else :icon="lamp.icon" :size="session.state.phase === 'recording' ? 22 : 30" />
    </div>
    <div class="words" role="status" aria-live="polite">
      <div class="names state">{{ words.state }}</div>
      <div class="below">{{ words.below }}</div>
    </div>
    <div class="place" aria-label="Position">
      <div class="figures position" data-test="position">{{ position.bar }}<i>·</i>{{ position.beat }}</div>
      <div class="figures clock">{{ clock }}</div>
    </div>
    <div class="actions">
      <v-btn class="action" variant="flat" :disabled="!song.document" @click="session.play()">
        <v-icon :icon="session.rolling ? mdiStop : mdiPlay" start size="18" />{{ session.rolling ? 'Stop' : 'Play' }}<kbd>Space</kbd>
      </v-btn>
      <v-btn class="action record" variant="flat" :disabled="!song.document" :aria-pressed="recording" @click="session.record()">
        {{ recording ? 'End take' : 'Record' }}<kbd>{{ prefix }}R</kbd>
      </v-btn>
      <v-btn class="action plain" variant="outlined" :disabled="!song.undoWords || recording" :title="song.undoWords ? `Undo ${song.undoWords}` : 'Nothing to undo'" @click="emit('undo')">
        Undo<kbd>{{ prefix }}U</kbd>
      </v-btn>
    </div>
    <div class="meters">
      <div class="row"><span>Keys in: {{ keysName }}</span><span>{{ keysText }}</span></div>
      <div class="bar" role="img" :aria-label="`Keys in: ${keysText}`"><i class="keys" :style="{ width: `${keysLevel * 100}%` }" /></div>
      <div class="row">
        <span>Out</span>
        <button v-if="sound.meter.clips" class="clips" title="Forget the clips" @click="sound.clearClips()">{{ sound.meter.clips }} clipped</button>
        <span>{{ levelText }}</span>
      </div>
      <div class="bar" role="meter" :aria-valuenow="Math.round(level)" :aria-valuemin="FLOOR_DB" aria-valuemax="0" aria-label="Level at the output, dBFS">
        <i :class="{ over: sound.meter.clips }" :style="{ width: `${(1 - level / FLOOR_DB) * 100}%` }" />
      </div>
    </div>
  </section>
</template>

<style scoped>
.footplate { grid-row: 4; display: grid; grid-template-columns: 56px minmax(170px, 1fr) 200px auto minmax(150px, 216px); align-items: center; gap: 16px; padding: 0 20px; background: var(--plate); color: var(--plate-ink); }
.lamp { width: 56px; height: 56px; border-radius: 50%; display: grid; place-items: center; background: var(--plate-2); font-size: 26px; }
.lamp.live { background: var(--live); }
.state { font-size: 25px; line-height: 1.15; white-space: nowrap; }
.below { font-size: 13px; color: var(--plate-ink-2); overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.words { min-width: 0; }
.place { text-align: center; }
.position { font-size: 42px; line-height: 1.05; white-space: nowrap; }
.position i { font-style: normal; font-size: 24px; margin: 0 5px; color: var(--plate-ink-2); vertical-align: 5px; }
.clock { font-size: 13px; color: var(--plate-ink-2); white-space: pre; }
.actions { display: flex; gap: 8px; }
.action { min-width: 118px; justify-content: center; height: 46px !important; background: var(--plate-2); color: var(--plate-ink); gap: 8px; }
.action :deep(.v-btn__content) { gap: 8px; }
.record { background: var(--live); color: #fff; }
.plain { background: transparent; border-color: #51616b; }
.action:disabled { opacity: 0.45; }
.plain:disabled { opacity: 1; color: #7f8c92; border-color: #3a4a54; }
.meters { font-size: 12px; color: var(--plate-ink-2); }
.row { display: flex; justify-content: space-between; gap: 8px; white-space: nowrap; }
.row span:first-child { overflow: hidden; text-overflow: ellipsis; }
.bar { height: 4px; border-radius: 2px; background: #33434d; margin: 3px 0 7px; }
.bar i { display: block; height: 100%; border-radius: 2px; background: #c9a24a; }
.bar .keys { background: #7fa58a; }
.bar .over { background: var(--live); }
.clips { color: #ffb4a8; font-size: 12px; font-weight: 600; }
:deep(:focus-visible) { outline-color: #f0c9ae; }
</style>
