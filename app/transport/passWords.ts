import { defineStore } from 'pinia';
import { computed } from 'vue';
import { endWords } from '~~/core/recording/brief';
import type { PassPlan } from '~~/core/recording/state';
import { positionAt, type MeterMap } from '~~/core/time/meter';
import { tickAt } from '~~/core/time/tempo';
import { rangeWords } from '~~/core/time/words';
import { useHowFar } from '~/notices/howFar';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useOtherWindow } from './otherWindow';
import { usePass } from './pass';
import { usePlace } from './place';
import { useRoll } from './roll';
import { useSession } from './session';

const PLAYING = { treated: 'Playing', half: 'Playing half treated', played: 'Playing untreated' } as const;

/** Picture of the lamp: counting or waiting, recording, leading in or out, playing, or none of these. */
export type Lamp = 'count' | 'record' | 'lead' | 'play' | 'rest';

/** Words and lamp for what is going on. */
export const usePassWords = defineStore('pass words', () => {
  const song = useSong();
  const reading = useReading();
  const session = useSession();
  const pass = usePass();
  const place = usePlace();
  const roll = useRoll();
  const sound = useSound();
  const otherWindow = useOtherWindow();

  const bankFar = useHowFar(() => (sound.state === 'loading' ? sound.bankShare : null));
  const banksFar = useHowFar(() => (sound.banksComing.size > 0 ? Math.min(...sound.banksComing.values()) : null));
  const stretchFar = useHowFar(() => sound.stretchShare);
  const nameOf = (part: string): string => song.document?.parts.find((p) => p.id === part)?.name ?? '';

  /** Words for the place where the pass ends. */
  function untilWords({ loop, range }: PassPlan, meter: MeterMap): string {
    if (loop) return `Round ${rangeWords({ from: loop.from, to: range.to }, meter)}, lap ${session.lap + 1}`;
    return `Until ${endWords(meter, range.to)}, or Stop`;
  }

  /** Words for sound that is still loading, with its share; empty once all is here. */
  const comes = computed((): string => {
    const saying = (what: string, far: string): string => (far ? `${what}: ${far}` : what);
    if (sound.stretchShare !== null) return saying('Sound is made ready at this speed and key', stretchFar.value);
    if (sound.state === 'off' || (sound.state === 'loading' && sound.bankShare < 1))
      return saying('The sounds are loading', bankFar.value);
    if (sound.banksComing.size > 0) return saying('A part’s sound is loading', banksFar.value);
    const { songSounds } = sound;
    if (songSounds && songSounds.here < songSounds.of)
      return saying('Backings and recorded sound are loading', `${songSounds.here} of ${songSounds.of}`);
    return sound.state === 'loading' ? 'The sounds are loading' : '';
  });

  const anyTreated = computed(() => song.document?.parts.some((p) => p.treatments.length > 0) ?? false);
  const words = computed((): { state: string; below: string } => {
    const { phase, plan, loop } = pass;
    const maps = reading.maps;
    if (!maps) return { state: 'No song open', below: 'Choose one on the Desk' };
    const bar = (tick: number) => positionAt(maps.meter, tick).bar;
    switch (phase) {
      case 'counting':
        return {
          state: `Counting off ${place.left}`,
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
          state: roll.asPlayed ? 'Playing untreated' : PLAYING[roll.timingView],
          below: loop
            ? `Round bars ${bar(tickAt(maps.tempo, loop.from) + 1)}–${bar(tickAt(maps.tempo, loop.to) - 1)}`
            : `To the end, bar ${bar(maps.end - 1)}${anyTreated.value && !roll.asPlayed ? '. Hold B: untreated' : ''}`,
        };
      case 'idle':
    }
    if (otherWindow.records) return { state: 'Not here', below: `Another window records ${otherWindow.records}` };
    if (sound.state === 'failed') return { state: 'No sound', below: sound.trouble };
    if (comes.value) return { state: 'Getting ready', below: comes.value };
    return {
      state: 'Ready',
      below:
        sound.state === 'waiting' ? 'Sound starts with your first click or key' : 'Press Record, or Space to listen',
    };
  });

  const lamp = computed((): Lamp => {
    const { phase } = pass;
    if (phase === 'counting' || phase === 'waiting') return 'count';
    if (phase === 'recording') return 'record';
    if (phase === 'lead-in' || phase === 'lead-out') return 'lead';
    return phase === 'playing' ? 'play' : 'rest';
  });

  return { words, lamp };
});
