import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { positionAt } from '~~/core/time/meter';
import { secondsAt } from '~~/core/time/tempo';
import type { Seconds, Ticks } from '~~/core/time/units';
import { useReading } from '~/song/reading';
import { usePass } from './pass';
import { useRoll } from './roll';

/** Bar and beat, both from 1. */
export interface Place {
  readonly bar: number;
  readonly beat: number;
}

/** Place in the song as it is heard, and the count: they change with the beats, also in a window that is covered. */
export const usePlace = defineStore('place', () => {
  const reading = useReading();
  const pass = usePass();
  const roll = useRoll();
  const rolling = shallowRef<Place | null>(null);
  /** In a count, how many beats are left; in one that goes round, the beat that is counted. */
  const left = ref(0);

  const placeAt = (tick: Ticks): Place | null =>
    reading.maps ? positionAt(reading.maps.meter, Math.max(0, tick + 0.5)) : null;
  const now = computed(() => (pass.rolling && rolling.value ? rolling.value : placeAt(roll.playhead)));

  /** Follows the place; asked many times a second while something rolls. */
  function follow(clock: Seconds): void {
    const { phase, plan } = pass;
    const { maps } = reading;
    if (!maps) return;
    const counts = phase === 'counting' || phase === 'waiting';
    // In the count the position waits where the music starts.
    const to = placeAt(plan && counts ? plan.music : roll.tickNow());
    if (to?.bar !== rolling.value?.bar || to?.beat !== rolling.value?.beat) rolling.value = to;
    if (!plan || !counts) return;
    if (phase === 'counting') {
      const { beats } = plan.count;
      left.value = beats.findLast((b) => b.at <= clock)?.left ?? beats[0]?.left ?? 0;
      return;
    }
    const { bar, beats } = plan.round;
    const into = (((clock - secondsAt(maps.tempo, plan.music)) % bar) + bar) % bar;
    left.value = Math.floor((into / bar) * Math.max(1, beats.length)) + 1;
  }

  return { now, left, follow };
});
