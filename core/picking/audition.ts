import type { Part } from '../document/part';
import { pick } from '../takes/line';
import type { TickRange } from '../time/units';

/** Audition: what is to be heard in place of the line, for as long as it is asked for. */
export interface Audition {
  readonly takeId: string;
  /** The take in this stretch and the line around it; null for the take alone, all of it. */
  readonly stretch: TickRange | null;
}

/** The part as it would be with that take. Nothing is changed by it. */
export function auditioned(part: Part, { takeId, stretch }: Audition): Part {
  const take = part.takes.find((t) => t.id === takeId);
  if (!take) return part;
  const { from, to } = take;
  if (!stretch) return { ...part, comp: [{ from, to, takeId }], lanes: [], joins: [] };
  const range = { from: Math.max(from, stretch.from), to: Math.min(to, stretch.to) };
  if (range.to <= range.from) return part;
  return { ...part, comp: pick(part.comp, { ...range, takeId, by: 'hand' }) };
}
