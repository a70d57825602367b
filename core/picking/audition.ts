import type { Part } from '../document/part';
import { pick } from '../takes/line';
import type { TickRange } from '../time/units';

/** Audition: what is heard instead of the line. */
export interface Audition {
  readonly takeId: string;
  /** Range of the take within the line; null for the take alone. */
  readonly range: TickRange | null;
}

/** Part with an auditioned take. The song is not changed. */
export function auditioned(part: Part, { takeId, range }: Audition): Part {
  const take = part.takes.find((t) => t.id === takeId);
  if (!take) return part;
  const { from, to } = take;
  if (!range) return { ...part, comp: [{ from, to, takeId }], lanes: [], joins: [] };
  const picked = { from: Math.max(from, range.from), to: Math.min(to, range.to) };
  if (picked.to <= picked.from) return part;
  return { ...part, comp: pick(part.comp, { ...picked, takeId, by: 'hand' }) };
}
