import { chunkPath, keepArrival, packArrivals, type Errand } from './local';
import { Outbox, type Keeping, type Refusal } from './outbox';
import type { LayerEvent } from '~~/core/takes/layer';
import type { Milliseconds } from '~~/core/time/units';

/** How long an event may lie in the browser before it is on its way to the server. */
const PACK_EVERY: Milliseconds = 250;
/** So many events travel in one piece. */
const CHUNK = 5000;

/**
 * Keeps what the page hands over: in the browser at once, at the server as soon as it answers. It lives in a worker, so
 * that a page that is busy drawing, or that lies in the background, keeps a take as fast as any other.
 */
export class Keeper {
  #said: (state: Keeping) => void = () => {};
  #refused: (refusal: Refusal) => Promise<'drop' | 'retry'> = () => new Promise(() => {});
  readonly #outbox = new Outbox(
    (state) => this.#said(state),
    (refusal) => this.#refused(refusal),
  );
  /** Errands go into the outbox in the order they were thought of: a layer is closed before a take is made of it. */
  #turn: Promise<unknown> = Promise.resolve();
  /** The numbered chunk that each layer's next events travel in. */
  readonly #chunks = new Map<string, number>();
  readonly #unpacked = new Set<string>();
  #packing: ReturnType<typeof setTimeout> | undefined;

  /**
   * @param said is told whenever the state changes
   * @param refused settles an errand that the server would not take; until then it waits
   */
  listen(said: (state: Keeping) => void, refused: (refusal: Refusal) => Promise<'drop' | 'retry'>): void {
    this.#said = said;
    this.#refused = refused;
  }

  #inTurn<T>(next: () => Promise<T>): Promise<T> {
    const done = this.#turn.then(next);
    this.#turn = done.catch(() => {});
    return done;
  }

  /** An event of an open layer. Resolves when it is in the browser. */
  async arrive(songId: string, layerId: string, event: LayerEvent): Promise<void> {
    this.#unpacked.add(layerId);
    this.#packing ??= setTimeout(() => void this.#inTurn(() => this.#packAll()).catch(() => {}), PACK_EVERY);
    await keepArrival({ songId, layerId, chunk: this.#chunks.get(layerId) ?? 1, event });
  }

  async #packAll(): Promise<void> {
    this.#packing = undefined;
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
        await this.#outbox.add({
          songId,
          method: 'PUT',
          path: chunkPath(layerId, i / CHUNK + 1),
          body: { events: events.slice(i, i + CHUNK) },
        });
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
}
