import type { IDBPDatabase } from 'idb';
import { withRequest, type ParkedHead } from './refusedRequests';
import { localStore, type QueuedRequest, type LocalSchema, type Parked } from './store';

/** A request with its place in the queue: what has a lower key goes first. */
export interface Waiting {
  readonly key: number;
  readonly request: QueuedRequest;
}

/** Keys in memory come after all that the browser's storage gives out. */
const IN_MEMORY = 2 ** 40;

/**
 * The requests that wait, in the browser's storage. Where that is full or refused they wait in memory instead, behind
 * those that lie in it: the server may be well, and what is sent is safe.
 */
export class Queue {
  readonly #memory = new Map<number, QueuedRequest>();
  #next = IN_MEMORY;
  /** Set once there was a storage: one that cannot be read for a while is not an empty one. */
  #known = false;

  get hasStorage(): boolean {
    return this.#known;
  }

  async #store(): Promise<IDBPDatabase<LocalSchema>> {
    const db = await localStore();
    this.#known = true;
    return db;
  }

  /** @returns whether it lies in the browser's storage; otherwise a reload before it is sent loses it */
  async add(request: QueuedRequest): Promise<boolean> {
    // What came later must not overtake what waits in memory.
    if (this.#memory.size === 0) {
      const stored = await this.#addStored(request).then(
        () => true,
        () => false,
      );
      if (stored) return true;
    }
    this.#memory.set(this.#next++, request);
    return false;
  }

  async #addStored({ bytes, ...request }: QueuedRequest): Promise<void> {
    const tx = (await this.#store()).transaction(['errands', 'bytes'], 'readwrite');
    // One that fails to be asked for leaves none of the two.
    try {
      const bytesAt = bytes && (await tx.objectStore('bytes').add(bytes));
      await tx.objectStore('errands').add(bytesAt === undefined ? request : { ...request, bytesAt });
    } catch (error) {
      tx.abort();
      await Promise.allSettled([tx.done]);
      throw error;
    }
    await tx.done;
  }

  /** True while something waits in memory alone. */
  get atRisk(): boolean {
    return this.#memory.size > 0;
  }

  /** The first request of a song that is not left out. @throws where there is a storage that cannot be read now */
  async first(leftOut: ReadonlySet<string>): Promise<Waiting | undefined> {
    const stored = await this.#read(() => this.#firstStored(leftOut));
    if (stored) return stored;
    for (const [key, request] of this.#memory) if (!leftOut.has(request.songId)) return { key, request };
    return undefined;
  }

  async #firstStored(leftOut: ReadonlySet<string>): Promise<Waiting | undefined> {
    const { store } = (await this.#store()).transaction('errands');
    let first = Infinity;
    // By song: what is left out may be long, and is not gone through.
    const songs = store.index('songId');
    for (let at = await songs.openKeyCursor(null, 'nextunique'); at; at = await at.continue())
      if (!leftOut.has(at.key)) first = Math.min(first, at.primaryKey);
    const request = first < Infinity && (await store.get(first));
    return request ? { key: first, request } : undefined;
  }

  /** Reads from the storage; undefined where there has never been one. */
  async #read<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      return await work();
    } catch (error) {
      if (this.#known) throw error;
      return undefined;
    }
  }

  /** The bytes that a request brings; undefined where it brings none, or they are gone. */
  async bytesOf({ bytes, bytesAt }: QueuedRequest): Promise<ArrayBuffer | undefined> {
    return bytes ?? (bytesAt === undefined ? undefined : (await this.#store()).get('bytes', bytesAt));
  }

  /** Requests that wait of a song, in order; their bytes stay where they are. @throws as `first` */
  async of(songId: string): Promise<Waiting[]> {
    const stored = await this.#read(async () => {
      const { store } = (await this.#store()).transaction('errands');
      const own = store.index('songId');
      const [keys, requests] = await Promise.all([own.getAllKeys(songId), own.getAll(songId)]);
      return keys.map((key, i) => ({ key, request: requests[i]! }));
    });
    const inMemory = [...this.#memory]
      .filter(([, e]) => e.songId === songId)
      .map(([key, request]) => ({ key, request }));
    return [...(stored ?? []), ...inMemory];
  }

  /** Takes requests out, and puts others in the place of some; all or nothing, as far as they are stored. */
  async settle(gone: readonly Waiting[], changed: readonly Waiting[] = []): Promise<void> {
    const stored = ({ key }: Waiting) => key < IN_MEMORY;
    for (const { key } of gone) this.#memory.delete(key);
    for (const { key, request } of changed) if (!stored({ key, request })) this.#memory.set(key, request);
    if (![...gone, ...changed].some(stored)) return;
    const tx = (await this.#store()).transaction(['errands', 'bytes'], 'readwrite');
    for (const { key, request } of gone.filter(stored)) {
      void tx.objectStore('errands').delete(key);
      if (request.bytesAt !== undefined) void tx.objectStore('bytes').delete(request.bytesAt);
    }
    for (const { key, request } of changed.filter(stored)) void tx.objectStore('errands').put(request, key);
    await tx.done;
  }

  /** Puts a request that the server will not have aside, beside what belongs to it: nothing of it is thrown away. */
  async park({ key, request }: Waiting, of: ParkedHead): Promise<Parked> {
    const tx = (await this.#store()).transaction(['errands', 'bytes', 'parked', 'parkedErrands'], 'readwrite');
    const row = withRequest(await tx.objectStore('parked').get(of.id), of, request);
    const { bytes, ...facts } = request;
    const bytesAt = bytes ? await tx.objectStore('bytes').add(bytes) : request.bytesAt;
    const stored = bytesAt === undefined ? facts : { ...facts, bytesAt };
    void tx.objectStore('parkedErrands').add({ of: of.id, errand: stored });
    void tx.objectStore('parked').put(row);
    if (key < IN_MEMORY) void tx.objectStore('errands').delete(key);
    await tx.done;
    this.#memory.delete(key);
    return row;
  }

  /** Rows of what is set aside, without their requests. */
  async parked(): Promise<Parked[]> {
    return (await this.#read(async () => (await this.#store()).getAll('parked'))) ?? [];
  }

  /** The requests of what was set aside, in their order. */
  async parkedRequests(id: string): Promise<QueuedRequest[]> {
    const rows = await this.#read(async () => (await this.#store()).getAllFromIndex('parkedErrands', 'of', id));
    return (rows ?? []).map((r) => r.errand);
  }

  /**
   * Takes what was put aside out of there.
   * @param again back into the queue, in its order; otherwise for good
   */
  async unpark(id: string, again: boolean): Promise<void> {
    const tx = (await this.#store()).transaction(['errands', 'bytes', 'parked', 'parkedErrands'], 'readwrite');
    const own = tx.objectStore('parkedErrands').index('of');
    for (let at = await own.openCursor(id); at; at = await at.continue()) {
      const { errand: request } = at.value;
      if (again) void tx.objectStore('errands').add(request);
      else if (request.bytesAt !== undefined) void tx.objectStore('bytes').delete(request.bytesAt);
      void at.delete();
    }
    void tx.objectStore('parked').delete(id);
    await tx.done;
  }
}
