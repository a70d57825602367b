import type { Lane } from '../performance/controls';
import type { TickRange } from '../time/units';

/** Range that is cleared in the layers beneath: of everything, or of one controller. */
export interface Clearing extends TickRange {
  readonly lane?: Lane;
}
