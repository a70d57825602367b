import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { briefPhrases, type Phrase } from '~~/core/recording/brief';
import { listenersOf } from '~~/core/recording/inputRoutes';
import { loopRange } from '~~/core/recording/plan';
import { recordedRange } from '~~/core/recording/settings';
import { inRange, type TickRange } from '~~/core/time/units';
import { useKeyboards } from '~/keyboards/keyboards';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useInputs } from '~/sound/inputs';
import { usePass } from './pass';
import { useRoll } from './roll';
import { useSession } from './session';

/** Sentence of the brief, and the range that it is about. */
export const useBriefSentence = defineStore('brief sentence', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const session = useSession();
  const keyboards = useKeyboards();
  const inputs = useInputs();
  const pass = usePass();
  const roll = useRoll();

  /** Bars that are being typed; the chart shows them before they are set. */
  const typed = shallowRef<TickRange | null>(null);

  /** Range that the next pass will record over; null without a song. */
  const range = computed((): TickRange | null => {
    if (!song.document || !reading.maps) return null;
    const { brief } = song.document;
    const { end } = reading.maps;
    return brief.loop ? loopRange(brief, end) : recordedRange(brief, session.startTick, end);
  });
  /** Number of notes heard in that range. */
  const there = computed(() => {
    const over = range.value;
    if (!over) return 0;
    return listenersOf(openSong.document).reduce(
      (sum, { part }) => sum + (reading.lines.get(part.id)?.notes.filter((n) => inRange(n.start, over)).length ?? 0),
      0,
    );
  });
  const phrases = computed((): readonly Phrase[] => {
    if (!song.document || !reading.maps) return [];
    return briefPhrases({
      song: song.document,
      meter: reading.maps.meter,
      end: reading.maps.end,
      playhead: session.startTick,
      there: there.value,
      playing: pass.phase === 'playing' && !roll.playsOut,
      ...(inputs.there ? { inputs: inputs.there } : {}),
      keyboards: keyboards.active.map((k) => ({
        id: k.id,
        name: keyboards.nameOf(k),
        leavesOut: keyboards.leavesOut(k.id),
      })),
    });
  });
  return { typed, range, there, phrases };
});
