import type { LayerHeader } from '../takes/layer';
import type { Mode, LapPolicy } from '../vocabulary/modes';

/** Outcome of a layer: where it goes, and whether it is heard at once. */
export interface Outcome {
  /** A new take, laid over the take heard there, or nothing. */
  readonly goes: 'new take' | 'over' | 'nowhere';
  /** True for a new take that takes its range of the line. */
  readonly heard: boolean;
}

/** Mode of each lap policy. */
const LAP_MODES: Readonly<Record<LapPolicy, Mode>> = {
  'a new take each': 'new take',
  'build up': 'merge',
  'fresh, then build up': 'new take',
  'play to overwrite': 'replace',
  'keep the last full lap': 'new take',
  'a layer each': 'merge',
};

/**
 * The mode by which a layer clears. The laps' policy takes the place of the brief's mode. One controller alone makes
 * no take: where a take would be new, what was there of the controller is replaced.
 */
export function modeOf({ laps, ride }: Pick<LayerHeader, 'laps' | 'ride'>, mode: Mode): Mode {
  const own = laps ? LAP_MODES[laps] : mode;
  return ride && own === 'new take' ? 'replace' : own;
}

/** Layer that was recorded. */
interface Recorded {
  /** Number of notes the layer has, or moves where it rides one controller. */
  readonly played: number;
  /** The lap ran to its end. */
  readonly whole: boolean;
  /** It has anything at all, a pedal say. */
  readonly touched: boolean;
  /** A lap before it began the take that it belongs to. */
  readonly begun: boolean;
}

export function outcomeOf(
  header: Pick<LayerHeader, 'laps' | 'ride' | 'sound'>,
  mode: Mode,
  { played, whole, touched, begun }: Recorded,
): Outcome {
  const own = modeOf(header, mode);
  if (own === 'new take') {
    // Sound is playing as well: an instrument outside may have no keys that are heard here.
    const goes = played || header.sound || (begun && touched) ? 'new take' : 'nowhere';
    return { goes, heard: goes === 'new take' && (header.laps !== 'keep the last full lap' || whole) };
  }
  // A lap in which nothing was played leaves the last one standing; a pass of silence is asked for as such.
  const silence = own === 'replace' && !header.laps;
  return { goes: played || touched || silence ? 'over' : 'nowhere', heard: true };
}
