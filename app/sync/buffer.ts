import { EMPTY_BUFFER, oldestWorthHolding, type LookBackBuffer, type BufferedEvent } from '~~/core/lookback/buffer';
import { localStore, type BufferFacts } from './store';

/** Facts of all windows merged, each item once by its id. */
function together(all: readonly BufferFacts[]): Omit<BufferFacts, 'by'> {
  const once = <T>(things: readonly T[], of: (thing: T) => string): T[] => [
    ...new Map(things.map((thing) => [of(thing), thing])).values(),
  ];
  return {
    rolls: once(
      all.flatMap((f) => f.rolls),
      (r) => r.id,
    ),
    listenings: once(
      all.flatMap((f) => f.listenings),
      (l) => String(l.id),
    ),
    takings: once(
      all.flatMap((f) => f.takings),
      (t) => `${t.by} ${t.from} ${t.to}`,
    ),
  };
}

/**
 * Look-back's buffer as the page last had it, with that of other windows.
 * @param own the window that reads: what belongs to the events is written anew as its own
 */
export async function readBuffer(own: string): Promise<LookBackBuffer> {
  const tx = (await localStore()).transaction(['held', 'heldFacts'], 'readwrite');
  const facts = tx.objectStore('heldFacts');
  const [batches, all] = await Promise.all([tx.objectStore('held').getAll(), facts.getAll()]);
  if (all.length === 0) return EMPTY_BUFFER;
  const { rolls, listenings, takings } = together(all);
  await facts.clear();
  await facts.put({ by: own, rolls, listenings, takings }, own);
  await tx.done;
  return {
    events: batches.flat().sort((a, b) => a.seq - b.seq),
    takings,
    rolls: new Map(rolls.map((r) => [r.id, r])),
    listenings: new Map(listenings.map((l) => [l.id, l])),
  };
}

/** Deletes events of the look-back buffer that are older than its limit, a few at a time. */
export async function trimBuffer(events: readonly BufferedEvent[]): Promise<void> {
  const from = oldestWorthHolding(events);
  const tx = (await localStore()).transaction('held', 'readwrite');
  for (let cursor = await tx.store.openCursor(); cursor; cursor = await cursor.continue()) {
    if ((cursor.value.at(-1)?.seq ?? Infinity) >= from) break;
    await cursor.delete();
  }
  await tx.done;
}

/** Deletes the look-back buffer. */
export async function forgetBuffer(): Promise<void> {
  const tx = (await localStore()).transaction(['held', 'heldFacts'], 'readwrite');
  await Promise.all([tx.objectStore('held').clear(), tx.objectStore('heldFacts').clear(), tx.done]);
}
