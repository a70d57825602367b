import type { Lane } from '../performance/controls';
import type { TickRange } from '../time/units';

/** A range in which what lies beneath goes: all of it, or one controller's lane alone. */
export interface Clearing extends TickRange {
  readonly lane?: Lane;
}
