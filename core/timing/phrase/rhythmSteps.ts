import type { Lattice } from '../lattice';

/** Number of beats that a step can end in: its own and the next. Lines further apart say nothing of each other. */
const BEATS = 2;
/** Pseudo-count with which a step is as frequent as its lines' use says. */
const BEFOREHAND = 4;
/** The most that a step costs or saves. */
const MOST = 2.5;

/** Place within the beat of each line, and the number of those places. */
export interface Phases {
  readonly phase: Int32Array;
  readonly phases: number;
}

/** Costs of going from one place of a beat to the next that is struck, beyond what the use of both lines says. */
export interface RhythmSteps extends Phases {
  /** Cost of each step, by its place, the beats passed and the next place. */
  readonly cost: Float64Array;
}

/** Index of the step between two lines in a table of costs; -1 where they are too far apart. */
export function stepAt({ beat }: Lattice, { phase, phases }: Phases, a: number, b: number): number {
  const passed = beat[b]! - beat[a]!;
  return passed < BEATS ? (phase[a]! * BEATS + passed) * phases + phase[b]! : -1;
}

/**
 * Steps of a part's rhythm, by how much oftener they are taken than the use of their lines says: a beat of three is
 * played to its end, whatever else the other beats do.
 * @param taken expected count of each step, by `stepAt`
 * @param struck expected use of each line
 * @param use cost of each line's use
 */
export function stepsOf(
  lattice: Lattice,
  phases: Phases,
  taken: Float64Array,
  struck: Float64Array,
  use: Float64Array,
): RhythmSteps {
  const expected = new Float64Array(taken.length);
  for (let a = 0; a < lattice.size; a += 1) {
    let left = struck[a]!;
    if (left < 1e-3) continue;
    for (let b = a + 1; b < lattice.size && left > 1e-3; b += 1) {
      const at = stepAt(lattice, phases, a, b);
      if (at < 0) break;
      const p = 1 / (1 + Math.exp(use[b]!));
      expected[at]! += left * p;
      left *= 1 - p;
    }
  }
  const cost = taken.map((count, at) => {
    const ratio = (count + BEFOREHAND) / (expected[at]! + BEFOREHAND);
    return Math.max(-MOST, Math.min(MOST, -Math.log(ratio)));
  });
  return { ...phases, cost };
}

/** Place of each line within its beat, numbered by its distance from the beat's first line. */
export function phasesOf({ tick, beat, size }: Lattice): Phases {
  const places = new Map<number, number>();
  const phase = new Int32Array(size);
  let first = 0;
  // Beats are told by number, since a grid of thirds need not have their first line.
  for (let k = 0; k < size; k += 1) {
    if (beat[k] !== beat[first]) first = k;
    const key = Math.round(2 * (tick[k]! - tick[first]!));
    if (!places.has(key)) places.set(key, places.size);
    phase[k] = places.get(key)!;
  }
  return { phase, phases: places.size };
}

/** Room for a value of each step. */
export const stepsTable = ({ phases }: Phases): Float64Array => new Float64Array(phases * phases * BEATS);
