import type { IDBPDatabase } from 'idb';
import { withRequest, type ParkedHead } from './refusedRequests';
import { localStore, type QueuedRequest, type LocalSchema, type Parked } from './store';

/** Queued request with its key. Lower keys are sent first. */
export interface Waiting {
  readonly key: number;
  readonly request: QueuedRequest;
}

/** First key of requests in memory, above all keys that the browser's storage gives out. */
const IN_MEMORY = 2 ** 40;

/**
 * Queued requests in the browser's storage. Where that is full or refuses, they wait in memory behind the stored ones:
 * the server may still take them.
 */
export class Queue {
  readonly #memory = new Map<number, QueuedRequest>();
  #next = IN_MEMORY;
  /** True once the storage could be read: one that fails later does not count as empty. */
  #known = false;

  get hasStorage(): boolean {
    return this.#known;
  }

  async #store(): Promise<IDBPDatabase<LocalSchema>> {
    const db = await localStore();
    this.#known = true;
    return db;
  }

  /** @returns true if it is in the browser's storage; false if a reload before it is sent would lose it */
  async add(request: QueuedRequest): Promise<boolean> {
    // Later requests must not overtake those in memory.
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
    // A failure to store either row leaves none of the two.
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

  /** True while some requests are in memory only. */
  get atRisk(): boolean {
    return this.#memory.size > 0;
  }

  /** First request of a song that is not left out. @throws where the storage exists and cannot be read now */
  async first(leftOut: ReadonlySet<string>): Promise<Waiting | undefined> {
    const stored = await this.#read(() => this.#firstStored(leftOut));
    if (stored) return stored;
    for (const [key, request] of this.#memory) if (!leftOut.has(request.songId)) return { key, request };
    return undefined;
  }

  async #firstStored(leftOut: ReadonlySet<string>): Promise<Waiting | undefined> {
    const { store } = (await this.#store()).transaction('errands');
    let first = Infinity;
    // The index is walked by song, so that long queues of songs that are left out are skipped.
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

  /** Bytes of a request; undefined where it has none, or they are gone. */
  async bytesOf({ bytes, bytesAt }: QueuedRequest): Promise<ArrayBuffer | undefined> {
    return bytes ?? (bytesAt === undefined ? undefined : (await this.#store()).get('bytes', bytesAt));
  }

  /** Queued requests of one song, in order, without their bytes. @throws as `first` */
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

  /** Removes requests and replaces others, in one transaction as far as they are stored. */
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

  /** Sets a refused request aside with the others of its pass or song. Nothing of it is deleted. */
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

  /** Rows of what is set aside, without the requests. */
  async parked(): Promise<Parked[]> {
    return (await this.#read(async () => (await this.#store()).getAll('parked'))) ?? [];
  }

  /** Requests of one row that was set aside, in order. */
  async parkedRequests(id: string): Promise<QueuedRequest[]> {
    const rows = await this.#read(async () => (await this.#store()).getAllFromIndex('parkedErrands', 'of', id));
    return (rows ?? []).map((r) => r.errand);
  }

  /** Removes a row that was set aside. @param again true puts its requests back into the queue, false deletes them */
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
