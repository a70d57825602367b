import type { Part } from '~~/core/document/part';
import { SILENCE } from '~~/core/performance/notes';
import { safeJoins } from '~~/core/picking/joins';
import { pick, type Pick } from '~~/core/takes/line';
import { useReading } from './reading';
import { useSong } from './song';

/** Commands that pick takes, shared by all stations. */
export function useComp() {
  const song = useSong();
  const reading = useReading();

  /** Picks ranges of takes. Safe repairs of the joins that arise are made in the same change. */
  function pickTakes(part: Part, picks: readonly Pick[]): void {
    if (picks.length === 0) return;
    const takes = new Map(part.takes.map((take) => [take.id, take]));
    const read = (id: string) => (takes.has(id) ? reading.readTake(takes.get(id)!) : SILENCE);
    const comp = picks.reduce<readonly Pick[]>(pick, part.comp);
    song.run({ type: 'pick takes', part: part.id, picks: [...picks], joins: safeJoins(comp, part.joins, read) });
  }

  return { pickTakes };
}
