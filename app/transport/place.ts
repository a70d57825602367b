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

/** Place in the song as it is heard, and the count. Values change once a beat, also in a covered window. */
export const usePlace = defineStore('place', () => {
  const reading = useReading();
  const pass = usePass();
  const roll = useRoll();
  const rolling = shallowRef<Place | null>(null);
  /** Number of beats left in a count; in a count that repeats, the beat that is counted. */
  const left = ref(0);

  const placeAt = (tick: Ticks): Place | null =>
    reading.maps ? positionAt(reading.maps.meter, Math.max(0, tick + 0.5)) : null;
  const now = computed(() => (pass.rolling && rolling.value ? rolling.value : placeAt(roll.playhead)));

  /** Updates the place. It is called many times a second while the transport rolls. */
  function follow(clock: Seconds): void {
    const { phase, plan } = pass;
    const { maps } = reading;
    if (!maps) return;
    const counts = phase === 'counting' || phase === 'waiting';
    // During the count, the place shown is where the music will start.
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
