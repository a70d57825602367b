import { localStore, type Errand, type Parked } from './store';

/** An errand with its place in the queue: what has a lower key goes first. */
export interface Waiting {
  readonly key: number;
  readonly errand: Errand;
}

/** Keys in memory come after all that the browser's storage gives out. */
const IN_MEMORY = 2 ** 40;

/**
 * The errands that wait, in the browser's storage. Where that is full or refused they wait in memory instead, behind
 * those that lie in it: the server may be well, and what is sent is safe.
 */
export class Queue {
  readonly #memory = new Map<number, Errand>();
  #next = IN_MEMORY;

  /** @returns whether it lies in the browser's storage; otherwise a reload before it is sent loses it */
  async add(errand: Errand): Promise<boolean> {
    // What came later must not overtake what waits in memory.
    if (this.#memory.size === 0) {
      const stored = await localStore()
        .then((db) => db.add('errands', errand))
        .then(
          () => true,
          () => false,
        );
      if (stored) return true;
    }
    this.#memory.set(this.#next++, errand);
    return false;
  }

  /** Whether something waits in memory alone. */
  get atRisk(): boolean {
    return this.#memory.size > 0;
  }

  /** The first errand of a song that is not left out. */
  async first(leftOut: ReadonlySet<string>): Promise<Waiting | undefined> {
    const stored = await this.#firstStored(leftOut).catch(() => undefined);
    if (stored) return stored;
    for (const [key, errand] of this.#memory) if (!leftOut.has(errand.songId)) return { key, errand };
    return undefined;
  }

  async #firstStored(leftOut: ReadonlySet<string>): Promise<Waiting | undefined> {
    const { store } = (await localStore()).transaction('errands');
    for (let at = await store.openCursor(); at; at = await at.continue())
      if (!leftOut.has(at.value.songId)) return { key: at.key, errand: at.value };
    return undefined;
  }

  /** What waits of a song, in order. */
  async of(songId: string): Promise<Waiting[]> {
    const stored: Waiting[] = [];
    try {
      const { store } = (await localStore()).transaction('errands');
      for (let at = await store.openCursor(); at; at = await at.continue())
        if (at.value.songId === songId) stored.push({ key: at.key, errand: at.value });
    } catch {
      // What cannot be read now is read when it is carried.
    }
    const inMemory = [...this.#memory].filter(([, e]) => e.songId === songId).map(([key, errand]) => ({ key, errand }));
    return [...stored, ...inMemory];
  }

  /** Takes errands out, and puts others in the place of some; all or nothing, as far as they are stored. */
  async settle(gone: readonly number[], changed: readonly Waiting[] = []): Promise<void> {
    const stored = (key: number) => key < IN_MEMORY;
    for (const key of gone) this.#memory.delete(key);
    for (const { key, errand } of changed) if (!stored(key)) this.#memory.set(key, errand);
    if (![...gone, ...changed.map((c) => c.key)].some(stored)) return;
    const tx = (await localStore()).transaction('errands', 'readwrite');
    for (const key of gone) if (stored(key)) void tx.store.delete(key);
    for (const { key, errand } of changed) if (stored(key)) void tx.store.put(errand, key);
    await tx.done;
  }

  /** Puts an errand that the server will not have aside, beside what belongs to it: nothing of it is thrown away. */
  async park({ key, errand }: Waiting, of: Omit<Parked, 'errands'>): Promise<Parked> {
    const tx = (await localStore()).transaction(['errands', 'parked'], 'readwrite');
    const before = await tx.objectStore('parked').get(of.id);
    const parked: Parked = before ? { ...before, errands: [...before.errands, errand] } : { ...of, errands: [errand] };
    void tx.objectStore('parked').put(parked);
    if (key < IN_MEMORY) void tx.objectStore('errands').delete(key);
    await tx.done;
    this.#memory.delete(key);
    return parked;
  }

  /** Puts what was put aside back into the queue, in its order: it lies in one of the two, whatever comes between. */
  async unpark(id: string): Promise<void> {
    const tx = (await localStore()).transaction(['errands', 'parked'], 'readwrite');
    const parked = await tx.objectStore('parked').get(id);
    for (const errand of parked?.errands ?? []) void tx.objectStore('errands').add(errand);
    void tx.objectStore('parked').delete(id);
    await tx.done;
  }
}
