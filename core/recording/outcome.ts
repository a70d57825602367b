import type { LayerHeader } from '../takes/layer';
import type { Mode } from './clears';
import type { LapPolicy } from './settings';

/** What becomes of a layer: where it goes, and whether it is heard at once. */
export interface Outcome {
  /** A new take, laid over the take heard there, or nothing. */
  readonly goes: 'new take' | 'over' | 'nowhere';
  /** Of a new take: whether it takes its range of the line. */
  readonly heard: boolean;
}

/** How each lap treats what is there. */
const LAP_MODES: Readonly<Record<LapPolicy, Mode>> = {
  'a new take each': 'new take', 'build up': 'merge', 'fresh, then build up': 'new take', 'play to overwrite': 'replace',
  'keep the last full lap': 'new take', 'a layer each': 'merge',
};

/**
 * The mode by which a layer clears. The laps' policy takes the place of the brief's mode. One controller alone makes
 * no take: where a take would be new, what was there of the controller is replaced.
 */
export function modeOf({ laps, ride }: Pick<LayerHeader, 'laps' | 'ride'>, mode: Mode): Mode {
  const own = laps ? LAP_MODES[laps] : mode;
  return ride && own === 'new take' ? 'replace' : own;
}

/**
 * @param played how many notes the layer has, or moves where it rides one controller
 * @param whole whether the lap ran to its end
 * @param touched whether it has anything at all, a pedal say
 */
export function outcomeOf(header: Pick<LayerHeader, 'laps' | 'ride'>, mode: Mode, played: number, whole: boolean, touched: boolean): Outcome {
  const own = modeOf(header, mode);
  if (own === 'new take') return played ? { goes: 'new take', heard: header.laps !== 'keep the last full lap' || whole } : { goes: 'nowhere', heard: false };
  // A lap in which nothing was played leaves the last one standing; a pass of silence is asked for as such.
  const silence = own === 'replace' && !header.laps;
  return { goes: played || touched || silence ? 'over' : 'nowhere', heard: true };
}
