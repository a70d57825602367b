<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref } from 'vue';
import { storeToRefs } from 'pinia';
import { mdiPlay, mdiStop, mdiCircle, mdiMinus } from '@mdi/js';
import type { PassPlan } from '~~/core/recording/state';
import { endWords } from '~~/core/recording/brief';
import { positionAt, type MeterMap } from '~~/core/time/meter';
import { rangeWords } from '~~/core/time/words';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import { useOtherWindow } from '~/transport/otherWindow';
import { usePass } from '~/transport/pass';
import { useReading } from '~/song/reading';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLookBack } from '~/look-back/lookback';
import { useRoll } from '~/transport/roll';
import { MARKS } from '~~/core/document/take';
import { useHands } from '~/transport/hands';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { vHint } from '~/controls/hint';
import { useFrames } from '~/drawing/useFrames';

const PLAYING = { treated: 'Playing', half: 'Playing half treated', played: 'Playing untreated' } as const;
const emit = defineEmits<{ undo: [] }>();
const session = useSession();
const pass = usePass();
const otherWindow = useOtherWindow();
const reading = useReading();
const hands = useHands();
const roll = useRoll();
const sound = useSound();
const song = useSong();
const keyboards = useKeyboards();
const lookBack = useLookBack();
const left = ref(0);

const counts = (): boolean => pass.phase === 'counting' || pass.phase === 'waiting';
/** The count, for the lamp: it changes with the beats. */
useFrames(counts, () => {
  const { phase, plan } = pass;
  if (!reading.maps || !plan || !counts()) return;
  const now = roll.clockAt(performance.now());
  if (phase === 'counting') {
    const { beats } = plan.count;
    left.value = beats.findLast((b) => b.at <= now)?.left ?? beats[0]?.left ?? 0;
  } else {
    // Round and round, the beat that is counted.
    const { bar, beats } = plan.round;
    const into = (((now - secondsAt(reading.maps.tempo, plan.music)) % bar) + bar) % bar;
    left.value = Math.floor((into / bar) * Math.max(1, beats.length)) + 1;
  }
});

const nameOf = (part: string): string => song.document?.parts.find((p) => p.id === part)?.name ?? '';

/** Where the pass ends. */
function untilWords({ loop, range }: PassPlan, meter: MeterMap): string {
  if (loop) return `Round ${rangeWords({ from: loop.from, to: range.to }, meter)}, lap ${session.lap + 1}`;
  return `Until ${endWords(meter, range.to)}, or Stop`;
}

const anyTreated = computed(() => song.document?.parts.some((p) => p.treatments.length > 0) ?? false);
const words = computed((): { state: string; below: string } => {
  const { phase, plan, loop } = pass;
  const maps = reading.maps;
  if (!maps) return { state: 'No song open', below: 'Choose one on the Desk' };
  const bar = (tick: number) => positionAt(maps.meter, tick).bar;
  switch (phase) {
    case 'counting':
      return {
        state: `Counting off ${left.value}`,
        below:
          plan!.music < plan!.range.from
            ? `Lead-in from bar ${bar(plan!.music)}`
            : `Recording from bar ${bar(plan!.range.from)}`,
      };
    case 'waiting':
      return {
        state: 'Waiting for your first note',
        below:
          plan!.wait === 'start'
            ? `It will be the start of bar ${bar(plan!.range.from)}`
            : `Come in on any bar: it becomes bar ${bar(plan!.range.from)}`,
      };
    case 'lead-in':
      return { state: 'Lead-in', below: `Recording from bar ${bar(plan!.range.from)}` };
    case 'recording':
      return { state: 'Recording', below: untilWords(plan!, maps.meter) };
    case 'lead-out':
      return { state: 'Lead-out', below: 'Held notes ring on' };
    case 'stopping':
      return { state: 'Stopped', below: 'Keeping what was played' };
    case 'playing':
      if (roll.playsOut)
        return {
          state: 'Sounding again',
          below: `${nameOf(roll.playsOut.part)}, to the end of bar ${roll.playsOut.last}. Nothing else sounds`,
        };
      return {
        state: roll.asPlayed ? 'Playing untreated' : PLAYING[roll.heardAs],
        below: loop
          ? `Round bars ${bar(tickAt(maps.tempo, loop.from) + 1)}–${bar(tickAt(maps.tempo, loop.to) - 1)}`
          : `To the end, bar ${bar(maps.end - 1)}${anyTreated.value && !roll.asPlayed ? '. Hold B: untreated' : ''}`,
      };
    case 'idle':
  }
  if (otherWindow.records) return { state: 'Not here', below: `Another window records ${otherWindow.records}` };
  if (sound.state === 'loading' || sound.state === 'off')
    return { state: 'Getting ready', below: 'The sounds are loading' };
  if (sound.state === 'failed') return { state: 'No sound', below: sound.trouble };
  return {
    state: 'Ready',
    below: sound.state === 'waiting' ? 'Sound starts with your first click or key' : 'Press Record, or Space to listen',
  };
});

const lamp = computed(() => {
  const { phase } = pass;
  if (phase === 'counting' || phase === 'waiting') return { icon: '', kind: 'live' };
  if (phase === 'recording') return { icon: mdiCircle, kind: 'live' };
  if (phase === 'lead-in' || phase === 'lead-out') return { icon: mdiPlay, kind: 'live' };
  return phase === 'playing' ? { icon: mdiPlay, kind: 'playing' } : { icon: mdiMinus, kind: '' };
});

const { recording } = storeToRefs(pass);
const canUndo = computed(() => Boolean(song.undoWords) && (!recording.value || Boolean(pass.plan?.loop)));
const prefix = computed(() => (keyboards.computerPlays ? 'Ctrl ' : ''));
</script>

<template>
  <section class="footplate" aria-label="Footplate">
    <div class="lamp" :class="lamp.kind" aria-hidden="true">
      <span v-if="pass.phase === 'counting' || pass.phase === 'waiting'" class="names">{{ left }}</span>
      <v-icon v-else :icon="lamp.icon" :size="pass.phase === 'recording' ? 22 : 30" />
    </div>
    <div class="words" role="status" aria-live="polite">
      <div class="names state">{{ words.state }}</div>
      <div v-if="pass.phase === 'idle' && hands.latest" class="below marks" role="group" aria-label="The latest take">
        <span>Take {{ hands.latest.take.number }}:</span>
        <button v-for="m in MARKS" :key="m" :aria-pressed="hands.latest.take.mark === m" @click="hands.mark(m)">
          {{ m }}
        </button>
      </div>
      <div v-else class="below">{{ words.below }}</div>
    </div>
    <FootplateClock />
    <div class="actions">
      <v-btn class="action" variant="flat" :disabled="!song.document" @click="session.play()">
        <v-icon :icon="pass.rolling ? mdiStop : mdiPlay" start size="18" />{{ pass.rolling ? 'Stop' : 'Play'
        }}<kbd>Space</kbd>
      </v-btn>
      <v-btn
        class="action record"
        variant="flat"
        :disabled="!song.document"
        :aria-pressed="recording"
        @click="session.record()"
      >
        {{ recording ? (pass.plan?.punched ? 'Punch out' : 'End take') : 'Record' }}<kbd>{{ prefix }}R</kbd>
      </v-btn>
      <v-btn
        class="action plain"
        variant="outlined"
        :disabled="!song.document"
        v-hint="'Stop, keep what was played, and start the same pass over'"
        @click="session.goAgain()"
      >
        Go again<kbd>{{ prefix }}G</kbd>
      </v-btn>
      <v-btn
        class="action plain keep"
        variant="outlined"
        :disabled="!song.document || lookBack.notes === 0 || recording"
        v-hint="
          lookBack.notes
            ? `Keep ${many(lookBack.notes, 'note')} played since the last keep or pass`
            : 'Nothing was played since the last keep or pass'
        "
        @click="hands.keep()"
      >
        Keep what I just played<kbd>{{ prefix }}K</kbd>
      </v-btn>
      <v-btn
        class="action plain"
        variant="outlined"
        :disabled="!canUndo"
        v-hint="song.undoWords ? `Undo ${song.undoWords}` : 'Nothing to undo'"
        @click="emit('undo')"
      >
        Undo<kbd>{{ prefix }}U</kbd>
      </v-btn>
    </div>
    <FootplateMeters />
  </section>
</template>

<style scoped>
.footplate {
  grid-row: 4;
  display: grid;
  grid-template-columns: 56px minmax(150px, 1fr) 188px auto 160px;
  align-items: center;
  gap: 14px;
  padding: 0 18px;
  background: var(--plate);
  color: var(--plate-ink);
}
.lamp {
  width: 56px;
  height: 56px;
  border-radius: 50%;
  display: grid;
  place-items: center;
  background: var(--plate-2);
  font-size: 26px;
}
.lamp.live {
  background: var(--live);
}
.state {
  font-size: 25px;
  line-height: 1.08;
}
.below {
  font-size: 13px;
  line-height: 1.25;
  color: var(--plate-ink-2);
}
.words {
  min-width: 0;
  contain: content;
}
.actions {
  display: flex;
  gap: 5px;
}
.action {
  min-width: 84px;
  padding: 0 11px !important;
  justify-content: center;
  height: 46px !important;
  background: var(--plate-2);
  color: var(--plate-ink);
  gap: 8px;
}
.action :deep(.v-btn__content) {
  gap: 7px;
  white-space: normal;
  line-height: 1.15;
}
.record {
  background: var(--live);
  color: #fff;
}
.plain {
  background: transparent;
  border-color: #51616b;
}
.action:disabled {
  opacity: 0.45;
}
.plain:disabled {
  opacity: 1;
  color: #7f8c92;
  border-color: #3a4a54;
}
.keep {
  max-width: 138px;
  font-size: 12px;
}
:deep(:focus-visible) {
  outline-color: #f0c9ae;
}
/* A small screen: the actions give way. */
@media (max-width: 1200px) {
  .footplate {
    grid-template-columns: 56px minmax(90px, 1fr) 128px auto 150px;
    gap: 8px;
    padding: 0 10px;
  }
  .state {
    font-size: 21px;
  }
  .action {
    min-width: 56px;
    padding: 0 5px !important;
    letter-spacing: 0;
  }
  .action :deep(.v-btn__content) {
    gap: 4px;
  }
  .keep {
    max-width: 108px;
  }
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .footplate {
    grid-template-columns: 56px minmax(0, 1fr) auto;
    padding: 10px 18px;
  }
  .actions,
  .footplate > :last-child {
    grid-column: 1 / -1;
    flex-wrap: wrap;
  }
}
.marks {
  display: flex;
  gap: 8px;
}
.marks button {
  color: var(--plate-ink);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 0 2px;
}
.marks button[aria-pressed='true'] {
  background: var(--plate-ink);
  color: var(--plate);
  border-radius: 4px;
  text-decoration: none;
}
</style>
