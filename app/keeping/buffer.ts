import { EMPTY_BUFFER, oldestWorthHolding, type LookBackBuffer, type BufferedEvent } from '~~/core/lookback/buffer';
import { localStore } from './store';

/** Where what belongs to the held events lies in the store. */
export const HELD_FACTS = 'facts';

/** What look-back held when the page was last here. */
export async function readBuffer(): Promise<LookBackBuffer> {
  const db = await localStore();
  const [batches, facts] = await Promise.all([db.getAll('held'), db.get('heldFacts', HELD_FACTS)]);
  if (!facts) return EMPTY_BUFFER;
  return {
    events: batches.flat().sort((a, b) => a.seq - b.seq),
    takings: facts.takings,
    rolls: new Map(facts.rolls.map((r) => [r.id, r])),
    listenings: new Map(facts.listenings.map((l) => [l.id, l])),
  };
}

/** Lets go of what is older than what is worth holding, a few events at a time. */
export async function trimBuffer(events: readonly BufferedEvent[]): Promise<void> {
  const from = oldestWorthHolding(events);
  const tx = (await localStore()).transaction('held', 'readwrite');
  for (let cursor = await tx.store.openCursor(); cursor; cursor = await cursor.continue()) {
    if ((cursor.value.at(-1)?.seq ?? Infinity) >= from) break;
    await cursor.delete();
  }
  await tx.done;
}

/** Forgets everything. */
export async function forgetBuffer(): Promise<void> {
  const tx = (await localStore()).transaction(['held', 'heldFacts'], 'readwrite');
  await Promise.all([tx.objectStore('held').clear(), tx.objectStore('heldFacts').clear(), tx.done]);
}
