import type { PassPlan } from '~~/core/recording/state';
import { useOpenSong } from '~/song/openSong';
import { useKeyboards } from '~/keyboards/keyboards';
import { useRoll } from './roll';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { benchKeyboardPart, type BenchKeyboardFacts } from './benchKeyboardPart';
import type { TimedMessage } from '~~/engine/keyboards/benchKeyboard';

/** Simulated Bench keyboard that plays the written part along with a pass, in time with what it hears. */
export function useBenchKeyboard() {
  const song = useSong();
  const openSong = useOpenSong();
  const sound = useSound();
  const roll = useRoll();
  const keyboards = useKeyboards();

  function perform(plan: PassPlan | null): void {
    const { bench } = keyboards;
    const part = song.document?.parts.find((p) => p.id === plan?.layers[0]?.partId);
    const made = sound.engine;
    const anchor = roll.anchorNow();
    if (!bench || !plan || !part || !anchor || !made || !keyboards.active.includes(bench)) return;
    const facts: BenchKeyboardFacts = {
      song: openSong.document,
      maps: openSong.maps,
      part,
      plan,
      anchor,
      output: roll.outputNow(),
      looseness: keyboards.looseness,
      hearsLate: keyboards.hearsLate,
    };
    const lapOf = (lap: number): TimedMessage[] => benchKeyboardPart(facts, lap);
    bench.perform(lapOf(0), (heard) => made.clock.pageTimeOf(heard), plan.loop ? lapOf : undefined);
  }

  return { perform, stop: (): void => keyboards.bench?.stop() };
}
