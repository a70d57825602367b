/**
 * Decibels that a note is softer at a tenth of the velocity. The format's own curve has 40, which leaves the softest
 * notes of a grand unheard.
 */
export const DB_PER_DECADE = 30;
const LOUDEST = 127;

/** Velocities for which a recorded strength sounds, both included. */
export interface VelocityRange {
  readonly min: number;
  readonly max: number;
}

/**
 * The velocities that each of a note's recorded strengths sounds for: from halfway between those at which it and the
 * softer one were struck, by how loud they were, to halfway to the next.
 * @param levels loudness of each strength in decibels, the softest first
 * @example velocityRanges([-30, 0]) // [{ min: 1, max: 40 }, { min: 41, max: 127 }]
 */
export function velocityRanges(levels: readonly number[]): VelocityRange[] {
  const struckAt = levels.map((level) => LOUDEST / 10 ** ((levels.at(-1)! - level) / DB_PER_DECADE));
  const tops = struckAt.map((at, i) => Math.round(Math.sqrt(at * (struckAt[i + 1] ?? LOUDEST ** 2 / at))));
  return tops.map((max, i) => ({ min: (tops[i - 1] ?? 0) + 1, max }));
}
