import { onBeforeUnmount, ref, type Ref } from 'vue';
import type { Passage } from '~~/core/lookback/buffer';
import type { PlayingReading } from '~~/core/lookback/playing';
import { channelOf } from '~~/core/vocabulary/sounds';
import type { Scheduled } from '~~/engine/instrument/schedule';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSound } from '~/sound/sound';
import { usePass } from '~/transport/pass';

/** Seconds from the press to the first note, and after the last event. */
const AHEAD = 0.2;
const RINGS = 1.2;

export interface PassageHeard {
  readonly hearing: Ref<boolean>;
  /** Plays a passage with a click on the beats of a reading; stops it where it plays already. */
  readonly hear: (passage: Passage, click: PlayingReading | null) => Promise<void>;
  readonly quiet: () => void;
}

/** Playback of buffered passages on the shown part's sound. */
export function usePassageHeard(): PassageHeard {
  const openSong = useOpenSong();
  const reading = useReading();
  const pass = usePass();
  const sound = useSound();
  const notices = useNotices();
  const hearing = ref(false);
  let timer: ReturnType<typeof setTimeout> | undefined;

  async function hear(passage: Passage, click: PlayingReading | null): Promise<void> {
    if (hearing.value) return quiet();
    if (pass.rolling) return notices.say('Stop what is rolling first, then listen.', 'plain');
    const made = await sound.ready();
    if (!made) return;
    const index = openSong.document.parts.findIndex((p) => p.id === reading.shown?.id);
    const beats = click?.beats ?? [];
    const first = Math.min(passage.events[0]!.wall / 1000, beats[0] ?? Infinity);
    const last = Math.max(passage.events.at(-1)!.wall / 1000, beats.at(-1) ?? 0);
    const start = made.context.currentTime + AHEAD;
    const events: Scheduled[] = passage.events.map(({ wall, message }) => ({
      ...{ at: start + wall / 1000 - first, message },
      channel: channelOf(Math.max(0, index)),
    }));
    for (const [i, beat] of beats.entries())
      events.push({ at: start + beat - first, click: i % click!.beatsPerBar === 0 ? 'bar' : 'beat' });
    made.schedule(events);
    hearing.value = true;
    timer = setTimeout(quiet, (last - first + RINGS) * 1000);
  }

  function quiet(): void {
    clearTimeout(timer);
    if (hearing.value && !pass.rolling) sound.engine?.schedule([]);
    hearing.value = false;
  }
  onBeforeUnmount(quiet);

  return { hearing, hear, quiet };
}
