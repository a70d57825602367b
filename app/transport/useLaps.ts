import { ref } from 'vue';
import { silencesNow } from '~~/core/recording/silenced';
import { lapAt } from '~~/core/recording/state';
import { tickAt } from '~~/core/time/tempo';
import type { Seconds } from '~~/core/time/units';
import { useMonitor } from './monitor';
import { useOpenSong } from '~/song/openSong';
import { usePass } from './pass';
import { useRoll } from './roll';

/** Time before a lap's end at which the next lap is scheduled, with what has been played by then. */
const AHEAD_OF_LAP_BOUNDARY: Seconds = 0.3;

/**
 * Scheduling during a pass: each lap is scheduled shortly before it begins, and a line that is replaced is muted
 * meanwhile.
 */
export function useLaps() {
  const openSong = useOpenSong();
  const pass = usePass();
  const roll = useRoll();
  const monitor = useMonitor();

  /** Number of the lap, from 0. */
  const lap = ref(0);
  let scheduledTo = -1;
  let silenced = false;

  function begin(): void {
    lap.value = 0;
    scheduledTo = -1;
    silenced = false;
  }

  /** @param at on the rolling clock */
  function follow(at: Seconds): void {
    const { plan, loop, phase } = pass;
    const current = pass.state.laps.at(-1);
    if (!plan || !pass.recording || !current) return;
    if (loop) {
      lap.value = lapAt(loop, at);
      const coming = lapAt(loop, at + AHEAD_OF_LAP_BOUNDARY);
      if (coming > lap.value && coming !== scheduledTo) {
        scheduledTo = coming;
        roll.reschedule();
      }
    }
    if (phase !== 'recording') return;
    const { tempo } = openSong.maps;
    const now = silencesNow(plan, current.recorded, monitor.anyDown, tickAt(tempo, at), tempo);
    if (now === silenced) return;
    silenced = now;
    roll.reschedule();
  }

  return { lap, begin, follow };
}
