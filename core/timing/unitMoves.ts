import { tickAt } from '../time/tempo';
import { barAt, barStart } from '../time/meter';
import type { Ticks } from '../time/units';
import { feelAt } from './feel';
import type { Clock, Lattice } from './lattice';
import type { Lined, Unit } from './unitLines';
import type { Recipe } from './recipe';
import { scatterOf } from './scatter';

/** Place in its bar where a line is written. */
export const inBarOf = (tick: Ticks, { meter }: Clock): Ticks => tick - barStart(meter, barAt(meter, tick + 1e-6));

/** Place of a line with its feel, in seconds. */
function targetOf({ tick, seconds }: Lattice, line: number, recipe: Recipe, clock: Clock): number {
  const { feel } = recipe;
  if (!feel || feel.timing === 0) return seconds[line]!;
  return seconds[line]! + (feel.timing * feelAt(feel.feel, inBarOf(tick[line]!, clock)).ms) / 1000;
}

/**
 * Ticks by which a recipe moves each unit.
 * @param tell is told of the units that it moves
 */
export function movesOf(lined: Lined, recipe: Recipe, clock: Clock, tell: (unit: Unit, by: Ticks) => void): void {
  const { strength, way, offset = 0, within = 0, beyond = Infinity, loose, drift = 1, small = 0 } = recipe;
  const steady = way === 'steady';
  const slow = steady ? lined.drift() : null;
  for (let i = 0; i < lined.units.length; i += 1) {
    const unit = lined.units[i]!;
    if (unit.stays) continue;
    const target = targetOf(lined.lattice, unit.line, recipe, clock);
    const off = unit.at - target;
    let to = unit.at;
    if (slow) to -= drift * slow[i]! + small * (off - slow[i]!);
    else if (Math.abs(off) * 1000 >= within && Math.abs(off) * 1000 <= beyond)
      to = strength === 1 ? target : unit.at - strength * off;
    to += offset / 1000;
    if (loose) to += (loose.spread / 1000) * scatterOf(unit.notes[0]!.id, loose.seed);
    if (to === unit.at) continue;
    const onLine = !slow && !offset && !loose && to === lined.lattice.seconds[unit.line];
    const tick = onLine ? lined.lattice.at[unit.line]! : tickAt(clock.tempo, to);
    // A note by itself lies just where it was struck: what a place in seconds loses is not lost twice.
    const from = unit.notes.length === 1 ? unit.notes[0]!.start : tickAt(clock.tempo, unit.at);
    tell(unit, tick - from);
  }
}

/** Milliseconds by which a unit is later than its line, and its feel. */
export const lateness = (unit: Unit, lattice: Lattice): number => (unit.at - lattice.seconds[unit.line]!) * 1000;
