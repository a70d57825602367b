import { packArrivals, writeBatch, type Batch } from './arrivals';
import { isChange, remake, type Newer, type Waiting } from './conflicts';
import { forgetBuffer, readBuffer, trimBuffer } from './buffer';
import { Outbox, type Keeping, type Refusal, type Settled } from './outbox';
import { chunkPath, localStore, type Arrival, type Errand } from './store';
import type { LookBackBuffer, BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';
import type { Milliseconds } from '~~/core/time/units';

/** How long an event may lie in the browser before it is on its way to the server. */
const PACK_EVERY: Milliseconds = 250;
/** So many events travel in one piece. */
const CHUNK = 5000;

/** What the page is told. */
export type Said =
  | { readonly type: 'state'; readonly state: Keeping }
  /** The server would not take something. It stays out. */
  | { readonly type: 'refused'; readonly reason: string }
  /** The server's song was newer. What waited was made again on it, all but what is said here. */
  | { readonly type: 'newer'; readonly songId: string; readonly undos: number; readonly failed: readonly string[] };

/** What the page hands over of one turn; the numbers of chunks are the keeper's business. */
export interface PageBatch extends Omit<Batch, 'arrivals'> {
  readonly arrivals: readonly Omit<Arrival, 'chunk'>[];
}

/**
 * Keeps what the page hands over: in the browser at once, at the server as soon as it answers. It owns the queue and
 * everything else that lies in the browser. It lives in a worker, so that a page that is busy drawing, or that lies in
 * the background, keeps a take as fast as any other.
 */
export class Keeper {
  #said: (said: Said) => void = () => {};
  readonly #outbox = new Outbox(
    (state) => this.#said({ type: 'state', state }),
    (refusal) => this.#settle(refusal),
  );
  /** Errands go into the outbox in the order they were thought of: a layer is closed before a take is made of it. */
  #turn: Promise<unknown> = Promise.resolve();
  /** The numbered chunk that each layer's next events travel in. */
  readonly #chunks = new Map<string, number>();
  readonly #unpacked = new Set<string>();
  #packing: ReturnType<typeof setTimeout> | undefined;

  /** @param said is told whenever the state changes, and what became of what the server would not take */
  listen(said: (said: Said) => void): void {
    this.#said = said;
  }

  #inTurn<T>(next: () => Promise<T>): Promise<T> {
    const done = this.#turn.then(next);
    this.#turn = done.catch(() => {});
    return done;
  }

  /** What one turn of the page brought: events of open layers, and look-back's. Resolves when it is in the browser. */
  async write({ arrivals, buffered, facts }: PageBatch): Promise<void> {
    for (const { layerId } of arrivals) this.#unpacked.add(layerId);
    if (arrivals.length) this.#packing ??= setTimeout(() => this.#packSoon(), PACK_EVERY);
    const numbered = arrivals.map((arrival) => ({ ...arrival, chunk: this.#chunks.get(arrival.layerId) ?? 1 }));
    await writeBatch({ arrivals: numbered, buffered, facts });
  }

  #packSoon(): void {
    this.#packing = undefined;
    // What cannot be packed now lies in the browser, and is packed with what comes next.
    void this.#inTurn(() => this.#packAll()).catch(() => {});
  }

  async #packAll(): Promise<void> {
    for (const layerId of [...this.#unpacked]) await this.#pack(layerId);
  }

  async #pack(layerId: string): Promise<void> {
    this.#unpacked.delete(layerId);
    // What comes from here on waits for the next chunk.
    this.#chunks.set(layerId, (this.#chunks.get(layerId) ?? 1) + 1);
    if (await packArrivals(layerId)) void this.#outbox.carry();
  }

  /** Resolves when the errand lies in the browser, after those before it. */
  errand(errand: Errand): Promise<void> {
    return this.#inTurn(() => this.#outbox.add(errand));
  }

  /** The last errand of a layer: all of its events go ahead of it. */
  finish(layerId: string, errand: Errand): Promise<void> {
    return this.#inTurn(async () => {
      await this.#pack(layerId);
      this.#chunks.delete(layerId);
      await this.#outbox.add(errand);
    });
  }

  /** The events of a layer that is whole already. */
  events(songId: string, layerId: string, events: readonly LayerEvent[]): Promise<void> {
    return this.#inTurn(async () => {
      for (let i = 0; i < events.length; i += CHUNK) {
        const body = { events: events.slice(i, i + CHUNK) };
        await this.#outbox.add({ songId, method: 'PUT', path: chunkPath(layerId, i / CHUNK + 1), body });
      }
    });
  }

  /** Sends the last events of a layer whose pass was cut off. */
  rescue(layerId: string): Promise<number> {
    return this.#inTurn(() => packArrivals(layerId));
  }

  /** Carries what there is. Resolves when everything is kept, or when the server turns out to be away. */
  carry(): Promise<Keeping> {
    return this.#inTurn(async () => {}).then(() => this.#outbox.carry());
  }

  /** An errand that the server refused: a stale change is made again on the newer song, anything else is said. */
  async #settle({ key, errand, status, reason, data }: Refusal): Promise<Settled> {
    if (status === 409 && isChange(errand)) return this.#makeAgain(errand, data as Newer, key);
    this.#said({ type: 'refused', reason });
    return 'drop';
  }

  async #makeAgain({ songId }: Errand, newer: Newer, from: number): Promise<Settled> {
    const tx = (await localStore()).transaction('errands', 'readwrite');
    const waiting: Waiting[] = [];
    for (let at = await tx.store.openCursor(IDBKeyRange.lowerBound(from)); at; at = await at.continue()) {
      if (at.value.songId === songId && isChange(at.value)) waiting.push({ key: at.key, errand: at.value });
    }
    const { again, undos, failed } = remake(newer, waiting);
    for (const { key, errand } of again) void tx.store.put(errand, key);
    for (const key of [...undos, ...failed.map((f) => f.key)]) void tx.store.delete(key);
    await tx.done;
    this.#said({ type: 'newer', songId, undos: undos.length, failed: failed.map((f) => f.why) });
    return 'retry';
  }

  /** What look-back held when the page was last here. */
  readBuffer(): Promise<LookBackBuffer> {
    return readBuffer();
  }

  /** Lets go of what is older than what is worth holding. */
  trimBuffer(events: readonly BufferedEvent[]): Promise<void> {
    return trimBuffer(events);
  }

  forgetBuffer(): Promise<void> {
    return forgetBuffer();
  }
}
