import type { Note } from '../performance/notes';
import { feelAt } from './feel';
import type { Clock } from './lattice';
import type { Lined } from './unitLines';
import { inBarOf } from './unitMoves';
import type { Recipe } from './recipe';

const [SOFTEST, LOUDEST] = [1, 127];
const held = (touch: number): number => Math.max(SOFTEST, Math.min(LOUDEST, Math.round(touch)));

/** Test for a note whose velocity was set by hand: a recipe leaves it as it is. */
const isSet = ({ played, velocity, made }: Note): boolean =>
  made === true || (played !== undefined && played.velocity !== velocity);

/**
 * Touch by a recipe: first towards the feel, then the range about the mean, then towards a level.
 * @param into changed velocities, by note
 */
export function treatedVelocity(
  notes: readonly Note[],
  { units, lattice }: Lined,
  { touch, feel }: Recipe,
  clock: Clock,
  into: Map<string, number>,
): void {
  const felt = feel && feel.touch > 0 ? feel : null;
  if (!touch && !felt) return;
  const mean = notes.reduce((sum, n) => sum + n.velocity, 0) / notes.length;
  const wide = touch?.range ?? 1;
  const strength = touch?.level === undefined ? 0 : (touch.strength ?? 1);
  for (const unit of units) {
    const own = unit.notes.reduce((sum, n) => sum + n.velocity, 0) / unit.notes.length;
    const raised = felt
      ? felt.touch * (mean + feelAt(felt.feel, inBarOf(lattice.tick[unit.line]!, clock)).touch - own)
      : 0;
    for (const note of unit.notes) {
      if (isSet(note)) continue;
      const ranged = mean + (note.velocity + raised - mean) * wide;
      const now = held(ranged + ((touch?.level ?? 0) - ranged) * strength);
      if (now !== note.velocity) into.set(note.id, now);
    }
  }
}
