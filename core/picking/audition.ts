import type { Part } from '../document/part';
import { pick } from '../takes/line';
import type { TickRange } from '../time/units';

/** Audition: what is to be heard in place of the line, for as long as it is asked for. */
export interface Audition {
  readonly takeId: string;
  /** The take in this range and the line around it; null for the take alone, all of it. */
  readonly range: TickRange | null;
}

/** The part as it would be with that take. Nothing is changed by it. */
export function auditioned(part: Part, { takeId, range }: Audition): Part {
  const take = part.takes.find((t) => t.id === takeId);
  if (!take) return part;
  const { from, to } = take;
  if (!range) return { ...part, comp: [{ from, to, takeId }], lanes: [], joins: [] };
  const picked = { from: Math.max(from, range.from), to: Math.min(to, range.to) };
  if (picked.to <= picked.from) return part;
  return { ...part, comp: pick(part.comp, { ...picked, takeId, by: 'hand' }) };
}
