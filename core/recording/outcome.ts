import type { LayerHeader } from '../takes/layer';
import type { Mode, LapPolicy } from '../vocabulary/modes';

/** Outcome of a layer: where it goes, and whether it is picked. */
export interface Outcome {
  /** `new take`, `over` the take that is heard there, or `nowhere`. */
  readonly goes: 'new take' | 'over' | 'nowhere';
  /** True for a new take that is picked in its range. */
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
 * Mode by which a layer clears. The laps' policy replaces the brief's mode. A ridden controller makes no take: its old
 * movements are replaced.
 */
export function modeOf({ laps, ride }: Pick<LayerHeader, 'laps' | 'ride'>, mode: Mode): Mode {
  const own = laps ? LAP_MODES[laps] : mode;
  return ride && own === 'new take' ? 'replace' : own;
}

/** Recorded layer, as far as its outcome depends on it. */
interface Recorded {
  /** Number of its notes, or of movements where it rides a controller. */
  readonly played: number;
  /** True for a lap that ran to its end. */
  readonly whole: boolean;
  /** True if it has any event, such as a pedal. */
  readonly touched: boolean;
  /** True if an earlier lap began its take. */
  readonly begun: boolean;
}

export function outcomeOf(
  header: Pick<LayerHeader, 'laps' | 'ride' | 'sound'>,
  mode: Mode,
  { played, whole, touched, begun }: Recorded,
): Outcome {
  const own = modeOf(header, mode);
  if (own === 'new take') {
    // Sound counts as playing, as an outside instrument may send no keys.
    const goes = played || header.sound || (begun && touched) ? 'new take' : 'nowhere';
    return { goes, heard: goes === 'new take' && (header.laps !== 'keep the last full lap' || whole) };
  }
  // An empty lap leaves the last one in place; an empty pass in replace mode clears, as asked.
  const silence = own === 'replace' && !header.laps;
  return { goes: played || touched || silence ? 'over' : 'nowhere', heard: true };
}
