import type { Note, Reading } from '../performance/notes';
import type { FigureKind } from './figures';
import type { Clock } from './lattice';
import { heldAgainst } from './lateness';
import type { Treatment } from './treatments';
import { isLinedUp, linedUp, type Decided } from './unitLines';

/** A gesture of several notes, as the piano roll names it. */
export interface ShownFigure {
  readonly kind: FigureKind;
  readonly notes: readonly Note[];
}

/**
 * The figures of a line: of what is treated as its treatment has them, of the rest as sixteenths would.
 * @param most of more notes than this only those are told whose lines are known already: the page asks
 */
export function shownFigures(
  before: Reading,
  treatments: readonly Treatment[],
  clock: Clock,
  decided: Decided,
  most: number,
): ShownFigure[] {
  return heldAgainst(before, treatments).flatMap(({ notes, recipe, over }) => {
    if (notes.length > most && !isLinedUp(notes, recipe, clock, over, decided)) return [];
    return linedUp(notes, recipe, clock, over, decided).units.flatMap(({ figure, notes: own }): ShownFigure[] =>
      figure && own.length > 1 ? [{ kind: figure, notes: own }] : [],
    );
  });
}
