import { transfer } from 'comlink';
import { chunksOf, packArrivals, takeArrivals, writeBatch, type Batch } from './arrivals';
import { Captured, type PieceFacts } from './captured';
import { isChange, remake, type Newer } from './conflicts';
import {
  groupOf,
  layerOf,
  recordingOf,
  soundIn,
  withRequest,
  type ParkedHead,
  type ParkedPiece,
} from './refusedRequests';
import { Queue } from './queue';
import { forgetBuffer, readBuffer, trimBuffer } from './buffer';
import { followFeed, type FeedWord } from './feed';
import { toOthers } from './windows';
import { Outbox, UNREADABLE, type SyncState, type Refusal } from './outbox';
import { alivePath, chunkPath, type Arrival, type QueuedRequest, type Parked } from './store';
import type { LookBackBuffer, BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';
import type { Milliseconds } from '~~/core/time/units';

/** Longest time that an event waits in the browser's storage before it is queued. */
const PACK_EVERY: Milliseconds = 100;
/** Interval at which the server is told that a layer is still recorded, and answers whether it is still open. */
const ALIVE_EVERY: Milliseconds = 1000;
/** Longest wait for the page when recording moves to another layer. */
const TAKES_OVER: Milliseconds = 5000;
/** Delay before a storage that cannot be read is tried again. */
const READ_AGAIN: Milliseconds = 500;
/** Most events in one request. */
const CHUNK = 5000;

/** Message to the page. */
export type Said =
  | {
      readonly type: 'state';
      readonly state: SyncState;
      /** Words of the server where there is trouble. */ readonly why: string;
    }
  /** Request that the server refused; it is set aside with what belongs to it. */
  | { readonly type: 'refused'; readonly parked: Parked }
  /** Layer that another browser has closed while this one records it: this one slept, and seemed gone. */
  | { readonly type: 'closed'; readonly layerId: string }
  /** True while the browser's storage is full: unsent work is lost if the page closes. */
  | { readonly type: 'risk'; readonly atRisk: boolean }
  /** Announced change at the server; null where changes may have been missed. */
  | { readonly type: 'feed'; readonly changed: FeedWord }
  /** Result of making waiting changes again on the server's newer song: only what failed is listed. */
  | { readonly type: 'newer'; readonly songId: string; readonly undos: number; readonly failed: readonly string[] };

/** Move of recording to another layer: its outcome, and the function that settles it. */
interface Taking {
  readonly over: Promise<boolean>;
  readonly tell: (taken: boolean) => void;
}

/** Batch that the page hands over each turn; chunk numbers are added by the keeper. */
export interface PageBatch extends Omit<Batch, 'arrivals'> {
  readonly arrivals: readonly Omit<Arrival, 'chunk'>[];
}

/**
 * Keeps what the page hands over: in the browser's storage at once, at the server as soon as it answers. It owns the
 * queue and all local storage. It runs in a worker, so that a page that is busy drawing or in the background loses
 * nothing.
 */
export class Keeper {
  #said: (said: Said) => void = () => {};
  #tellOthers: (said: Said) => void = () => {};
  readonly #queue = new Queue();
  readonly #outbox = new Outbox(
    this.#queue,
    (state, why) => this.#tell(state, why),
    (refusal) => this.#settle(refusal),
  );
  /** Events of open layers that the browser's storage refused; they are queued from memory. */
  #unstored: Arrival[] = [];
  #atRisk = false;
  /** Requests enter the outbox in the order in which they were made: a layer is closed before a take is made of it. */
  #turn: Promise<unknown> = Promise.resolve();
  /** Number of the chunk that each layer's next events go into. */
  readonly #chunks = new Map<string, number>();
  readonly #unpacked = new Set<string>();
  #packing: ReturnType<typeof setTimeout> | undefined;
  /** Layers that are being recorded, with their passes. */
  readonly #recording = new Map<string, string | undefined>();
  /** Layers that another browser has closed, with whether recording has moved to a new layer. */
  readonly #takenOver = new Map<string, Taking>();
  readonly #captured = new Captured((request) => this.enqueue(request));
  #pulse: ReturnType<typeof setInterval> | undefined;
  /** Refused requests that the storage would not take. */
  readonly #parkedHere = new Map<string, { readonly row: Parked; readonly requests: readonly QueuedRequest[] }>();

  /** @param said called whenever the state changes, and with the outcome of refused requests */
  listen(said: (said: Said) => void): void {
    this.#said = said;
    this.#tellOthers = toOthers('tall-kettle keeper', said);
    followFeed((changed) => this.#said({ type: 'feed', changed }));
  }

  #tell(state: SyncState, why = ''): void {
    this.#said({ type: 'state', state, why });
    const atRisk = this.#queue.atRisk || this.#unstored.length > 0;
    if (atRisk !== this.#atRisk) this.#said({ type: 'risk', atRisk });
    this.#atRisk = atRisk;
  }

  /** Tells all windows the outcome of a request, as one window sends the requests of all. */
  #tellAll(word: Said): void {
    this.#said(word);
    this.#tellOthers(word);
  }

  #inTurn<T>(next: () => Promise<T>): Promise<T> {
    const done = this.#turn.then(next);
    // The error goes to the caller of this turn; later turns go on.
    this.#turn = done.catch(() => {});
    return done;
  }

  /** Writes one turn of the page to the browser's storage: events of open layers, and look-back's. */
  async write({ arrivals, buffered, facts }: PageBatch): Promise<void> {
    for (const { layerId } of arrivals) this.#unpacked.add(layerId);
    if (arrivals.length) this.#packing ??= setTimeout(() => this.#packSoon(), PACK_EVERY);
    const numbered = arrivals.map((arrival) => ({
      ...arrival,
      pass: this.#recording.get(arrival.layerId),
      chunk: this.#chunks.get(arrival.layerId) ?? 1,
    }));
    // Later events must not overtake those in memory.
    const inMemory = this.#unstored.length > 0;
    if (inMemory) this.#unstored = [...this.#unstored, ...numbered];
    try {
      await writeBatch({ arrivals: inMemory ? [] : numbered, buffered, facts });
    } catch (error) {
      if (inMemory) return;
      // Look-back's events may be lost; events of a take are sent from memory.
      if (arrivals.length === 0) throw error;
      this.#unstored = [...this.#unstored, ...numbered];
      this.#tell('keeping');
    }
  }

  #packSoon(): void {
    this.#packing = undefined;
    // Events that cannot be queued now stay stored, and are queued with the next ones.
    void this.#inTurn(() => this.#packAll()).catch(() => {});
  }

  async #packAll(): Promise<void> {
    for (const layerId of [...this.#unpacked]) await this.#pack(layerId);
  }

  async #pack(layerId: string): Promise<void> {
    this.#unpacked.delete(layerId);
    // Later events go into the next chunk.
    this.#chunks.set(layerId, (this.#chunks.get(layerId) ?? 1) + 1);
    const inMemory = this.#unstored.filter((a) => a.layerId === layerId);
    this.#unstored = this.#unstored.filter((a) => a.layerId !== layerId);
    // A failed storage leaves the events in memory, which the queue reports.
    const packed = this.#queue.atRisk ? undefined : await packArrivals(layerId, inMemory).catch(() => undefined);
    if (packed === undefined) {
      // Stored events of the layer are put in front of those in memory, to keep the order.
      const stored = await this.#stored(layerId);
      for (const request of chunksOf(layerId, [...stored, ...inMemory])) await this.#add(request);
    } else if (packed) {
      void this.#outbox.carry();
    }
  }

  /** Stored events of a layer. A storage that cannot be read is waited for, so that nothing overtakes them. */
  async #stored(layerId: string): Promise<Arrival[]> {
    for (;;) {
      try {
        return await takeArrivals(layerId);
      } catch (error) {
        if (!this.#queue.hasStorage) return [];
        console.warn('What lies stored of a layer cannot be read yet.', error);
        this.#tell('trouble', UNREADABLE);
        await new Promise((again) => setTimeout(again, READ_AGAIN));
      }
    }
  }

  async #add(request: QueuedRequest): Promise<void> {
    if (!(await this.#outbox.add(request))) this.#tell('keeping');
  }

  /** Queues a request behind those before it. Resolves when it is in the browser's storage. */
  enqueue(request: QueuedRequest): Promise<void> {
    return this.#inTurn(() => this.#add(request));
  }

  /**
   * Queues the first request of a layer, and tells the server every second that it is recorded until it is finished.
   */
  begin(layerId: string, request: QueuedRequest): Promise<void> {
    this.#recording.set(layerId, request.pass);
    this.#pulse ??= setInterval(() => {
      for (const id of this.#recording.keys()) void this.#isAlive(id);
    }, ALIVE_EVERY);
    return this.enqueue(request);
  }

  async #isAlive(layerId: string): Promise<void> {
    try {
      const response = await fetch(alivePath(layerId), { method: 'POST' });
      const { open } = (await response.json()) as { open?: boolean };
      if (open === false) await this.#takeOver(layerId);
    } catch (error) {
      // The state of a server that is away is reported by the requests themselves.
      console.debug('The server did not say whether the layer is open.', error);
    }
  }

  /**
   * Lets the page move recording to another layer.
   * @returns true if it does: nothing more of this layer is sent then
   */
  #takeOver(layerId: string): Promise<boolean> {
    // The pulse and a refused piece can both find it out: the move is made once.
    const known = this.#takenOver.get(layerId);
    if (known) return known.over;
    if (!this.#recording.has(layerId)) return Promise.resolve(false);
    let tell = (_taken: boolean): void => {};
    const over = new Promise<boolean>((done) => {
      tell = done;
    });
    this.#takenOver.set(layerId, { over, tell });
    setTimeout(() => tell(false), TAKES_OVER);
    this.#said({ type: 'closed', layerId });
    return over;
  }

  /** Drops the queued requests of a layer whose events are all in another layer of this browser. */
  forget(songId: string, layerId: string): Promise<void> {
    this.#ended(layerId);
    return this.#inTurn(async () => {
      this.#unpacked.delete(layerId);
      this.#chunks.delete(layerId);
      this.#unstored = this.#unstored.filter((a) => a.layerId !== layerId);
      // The server has deleted the layer: stored events that remain are refused there, and none is missing.
      await takeArrivals(layerId).catch(() => []);
      await this.#queue.settle((await this.#queue.of(songId)).filter(({ request }) => layerOf(request) === layerId));
      this.#takenOver.get(layerId)?.tell(true);
    });
  }

  #ended(layerId: string): void {
    this.#recording.delete(layerId);
    if (this.#recording.size > 0) return;
    clearInterval(this.#pulse);
    this.#pulse = undefined;
  }

  /** Queues the last request of a layer behind all of its events. */
  finish(layerId: string, request: QueuedRequest): Promise<void> {
    return this.#inTurn(async () => {
      await this.#pack(layerId);
      this.#ended(layerId);
      this.#chunks.delete(layerId);
      await this.#add(request);
    });
  }

  /** Receives an outside instrument's sound through a port; it is kept once the recording is opened. */
  capture(recordingId: string, port: MessagePort, rate: number, channels: number): void {
    this.#captured.begin(recordingId, port, rate, channels);
  }

  openRecording(recordingId: string, opening: QueuedRequest): void {
    this.#captured.open(recordingId, opening);
  }

  /** Queues a recording's closing behind its last piece. */
  closeRecording(recordingId: string, closing: QueuedRequest): void {
    this.#captured.close(recordingId, closing);
  }

  /** Queues the events of a layer that is complete already. */
  events(songId: string, layerId: string, events: readonly LayerEvent[], pass?: string): Promise<void> {
    return this.#inTurn(async () => {
      for (let i = 0; i < events.length; i += CHUNK) {
        const body = { events: events.slice(i, i + CHUNK) };
        await this.#add({ songId, pass, method: 'PUT', path: chunkPath(layerId, i / CHUNK + 1), body });
      }
    });
  }

  /** Queues the stored events of a layer whose pass was cut off. */
  rescue(layerId: string): Promise<number> {
    return this.#inTurn(() => packArrivals(layerId));
  }

  /** Sends queued requests. Resolves when everything is kept, or when the server is away. */
  carry(): Promise<SyncState> {
    return this.#inTurn(async () => {}).then(() => this.#outbox.carry());
  }

  /** Queued requests of one song, oldest first. An opening song is shown with them applied. */
  async waiting(songId: string): Promise<QueuedRequest[]> {
    return (await this.#queue.of(songId)).map((w) => w.request);
  }

  /**
   * Settles a refused request: a stale change is made again on the newer song, a layer closed while it was recorded
   * moves to a new layer, and anything else is set aside.
   */
  async #settle(refusal: Refusal): Promise<void> {
    const { key, request, status, data } = refusal;
    const newer = data as Newer | undefined;
    if (status === 409 && isChange(request) && newer?.document) return this.#makeAgain(request.songId, newer, key);
    const layer = layerOf(request);
    if (status === 409 && layer !== undefined && (await this.#takeOver(layer)))
      return this.#queue.settle([{ key, request }]);
    await this.#park(refusal);
  }

  async #park({ key, request, reason }: Omit<Refusal, 'status' | 'data'>): Promise<void> {
    const of: ParkedHead = { ...groupOf(request), songId: request.songId, reason, at: new Date().toISOString() };
    const parked = await this.#queue.park({ key, request }, of).catch(async (): Promise<Parked> => {
      // With a full storage the bytes stay in memory, where the player can still save them as a file.
      const bytes = await this.#queue.bytesOf(request);
      await this.#queue.settle([{ key, request }]);
      const before = this.#parkedHere.get(of.id);
      const row = withRequest(before?.row, of, request);
      this.#parkedHere.set(of.id, { row, requests: [...(before?.requests ?? []), { ...request, bytes }] });
      return row;
    });
    this.#tellAll({ type: 'refused', parked });
  }

  async #makeAgain(songId: string, newer: Newer, from: number): Promise<void> {
    const waiting = (await this.#queue.of(songId)).filter((w) => w.key >= from && isChange(w.request));
    const { again, undos, failed } = remake(newer, waiting);
    const lost = failed.flatMap(({ key, why }) => {
      const found = waiting.find((w) => w.key === key);
      return found ? [{ ...found, reason: why }] : [];
    });
    await this.#queue.settle(
      waiting.filter((w) => undos.includes(w.key)),
      again,
    );
    for (const refusal of lost) await this.#park(refusal);
    this.#tellAll({ type: 'newer', songId, undos: undos.length, failed: failed.map((f) => f.why) });
  }

  /** All refused requests that the player has not decided on. */
  async parked(): Promise<Parked[]> {
    const here = [...this.#parkedHere.values()].map((p) => p.row);
    return [...(await this.#queue.parked()), ...here].sort((a, b) => a.at.localeCompare(b.at));
  }

  /** Refused requests of one pass or one song, in order, without their bytes. */
  async parkedRequests(id: string): Promise<QueuedRequest[]> {
    return [...(await this.#queue.parkedRequests(id)), ...(this.#parkedHere.get(id)?.requests ?? [])];
  }

  /** Refused sound as WAV files, one for each recording. */
  async parkedSound(id: string, at: string): Promise<Uint8Array[]> {
    const pieces = new Map<string, ParkedPiece[]>();
    for (const request of await this.parkedRequests(id)) {
      const recording = recordingOf(request);
      const bytes = recording && (await this.#queue.bytesOf(request));
      if (!recording || !bytes) continue;
      const own = pieces.get(recording) ?? [];
      pieces.set(recording, own);
      own.push({ ...(request.body as PieceFacts), bytes });
    }
    const files = [...pieces.values()].flatMap((own) => soundIn(own, at) ?? []);
    return transfer(
      files,
      files.map((f) => f.buffer as ArrayBuffer),
    );
  }

  /** Sends refused requests once more, in order. */
  async tryAgain(id: string): Promise<void> {
    // They are removed first: what is refused again is set aside anew.
    const here = this.#parkedHere.get(id)?.requests ?? [];
    this.#parkedHere.delete(id);
    await this.#inTurn(() => this.#queue.unpark(id, true));
    for (const request of here) await this.enqueue(request);
    await this.carry();
  }

  /** Discards refused requests for good. */
  async letGo(id: string): Promise<void> {
    this.#parkedHere.delete(id);
    await this.#queue.unpark(id, false);
  }

  /** Look-back buffer as it was stored last. */
  readBuffer(own: string): Promise<LookBackBuffer> {
    return readBuffer(own);
  }

  /** Deletes look-back events that are older than its limit. */
  trimBuffer(events: readonly BufferedEvent[]): Promise<void> {
    return trimBuffer(events);
  }

  forgetBuffer(): Promise<void> {
    return forgetBuffer();
  }
}
