import type { Lattice } from '../lattice';

/** Number of beats that a step can end in: its own and the next. Lines further apart say nothing of each other. */
const BEATS = 2;
/** Pseudo-count with which a step is as frequent as its lines' use says. */
const BEFOREHAND = 4;
/** The most that a step costs or saves. */
const MOST = 2.5;
/** Probability below which a step is not followed further. */
const HARDLY = 1e-3;

/** Room for a value of each step. */
export const stepsTable = ({ phases }: Lattice): Float64Array => new Float64Array(phases * phases * BEATS);

/** Index of the step between two lines, by their places in the beat and the beats passed; -1 where there is none. */
export function stepAt({ beat, phase, phases }: Lattice, a: number, b: number): number {
  const passed = beat[b]! - beat[a]!;
  return b > a && passed >= 0 && passed < BEATS ? (phase[a]! * BEATS + passed) * phases + phase[b]! : -1;
}

/**
 * Cost of each step of a part's rhythm from one struck line to the next, by how much oftener it is taken than the use
 * of both lines says: a beat of three is played to its end, whatever the other beats do.
 * @param taken expected count of each step
 * @param struck expected use of each line
 * @param use cost of each line's use
 */
export function stepCosts(
  lattice: Lattice,
  taken: Float64Array,
  struck: Float64Array,
  use: Float64Array,
): Float64Array {
  const expected = stepsTable(lattice);
  for (let a = 0; a < lattice.size; a += 1) {
    let left = struck[a]!;
    for (let b = a + 1; b < lattice.size && left > HARDLY; b += 1) {
      const at = stepAt(lattice, a, b);
      if (at < 0) break;
      const p = 1 / (1 + Math.exp(use[b]!));
      expected[at]! += left * p;
      left *= 1 - p;
    }
  }
  return taken.map((count, at) => {
    const ratio = (count + BEFOREHAND) / (expected[at]! + BEFOREHAND);
    return Math.max(-MOST, Math.min(MOST, -Math.log(ratio)));
  });
}
