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

/** Longest time that an event waits in the browser before it is sent. */
const PACK_EVERY: Milliseconds = 100;
/** The pulse by which the server hears that a layer is recorded, in a rest too, and says whether it is still open. */
const ALIVE_EVERY: Milliseconds = 1000;
/** The page is waited for so long when it is to go on in another layer. */
const TAKES_OVER: Milliseconds = 5000;
/** A storage that cannot be read is tried again after this. */
const READ_AGAIN: Milliseconds = 500;
/** Number of events that travel in one piece. */
const CHUNK = 5000;

/** Message to the page. */
export type Said =
  | {
      readonly type: 'state';
      readonly state: SyncState;
      /** Words of the server where there is trouble. */ readonly why: string;
    }
  /** The server would not take something. It is put aside, with what belongs to it. */
  | { readonly type: 'refused'; readonly parked: Parked }
  /** Another browser has closed a layer that this one records: it slept, and was taken to be gone. */
  | { readonly type: 'closed'; readonly layerId: string }
  /** The browser's storage takes nothing more: what waits is lost if the page goes before it is sent. */
  | { readonly type: 'risk'; readonly atRisk: boolean }
  /** Something was changed at the server, by whomever; null where changes may have been missed. */
  | { readonly type: 'feed'; readonly changed: FeedWord }
  /** The server's song was newer. What waited was made again on it, all but what is said here. */
  | { readonly type: 'newer'; readonly songId: string; readonly undos: number; readonly failed: readonly string[] };

/** A layer that goes on as another: whether it does, and what tells so. */
interface Taking {
  readonly over: Promise<boolean>;
  readonly tell: (taken: boolean) => void;
}

/** Batch that the page hands over for one turn; the numbers of chunks are the keeper's business. */
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
  #tellOthers: (said: Said) => void = () => {};
  readonly #queue = new Queue();
  readonly #outbox = new Outbox(
    this.#queue,
    (state, why) => this.#tell(state, why),
    (refusal) => this.#settle(refusal),
  );
  /** Events of open layers that the browser's storage would not take: they are packed from here. */
  #unstored: Arrival[] = [];
  #atRisk = false;
  /** Requests go into the outbox in the order they were thought of: a layer is closed before a take is made of it. */
  #turn: Promise<unknown> = Promise.resolve();
  /** The numbered chunk that each layer's next events travel in. */
  readonly #chunks = new Map<string, number>();
  readonly #unpacked = new Set<string>();
  #packing: ReturnType<typeof setTimeout> | undefined;
  /** Layers that are recorded now, with their passes. */
  readonly #recording = new Map<string, string | undefined>();
  /** Layers that another browser has closed, with whether the page has gone on in another one. */
  readonly #takenOver = new Map<string, Taking>();
  readonly #captured = new Captured((request) => this.enqueue(request));
  #pulse: ReturnType<typeof setInterval> | undefined;
  /** Refused requests that the storage would not take. */
  readonly #parkedHere = new Map<string, { readonly row: Parked; readonly requests: readonly QueuedRequest[] }>();

  /** @param said is told whenever the state changes, and what became of what the server would not take */
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

  /** Tells all windows what became of a request: one window carries those of another. */
  #tellAll(word: Said): void {
    this.#said(word);
    this.#tellOthers(word);
  }

  #inTurn<T>(next: () => Promise<T>): Promise<T> {
    const done = this.#turn.then(next);
    // The error goes to whoever asked for this turn; the next turn is for others.
    this.#turn = done.catch(() => {});
    return done;
  }

  /** Writes one turn of the page: events of open layers, and look-back's. Resolves when it is in the browser. */
  async write({ arrivals, buffered, facts }: PageBatch): Promise<void> {
    for (const { layerId } of arrivals) this.#unpacked.add(layerId);
    if (arrivals.length) this.#packing ??= setTimeout(() => this.#packSoon(), PACK_EVERY);
    const numbered = arrivals.map((arrival) => ({
      ...arrival,
      pass: this.#recording.get(arrival.layerId),
      chunk: this.#chunks.get(arrival.layerId) ?? 1,
    }));
    // What came later must not overtake what is in memory.
    const inMemory = this.#unstored.length > 0;
    if (inMemory) this.#unstored = [...this.#unstored, ...numbered];
    try {
      await writeBatch({ arrivals: inMemory ? [] : numbered, buffered, facts });
    } catch (error) {
      if (inMemory) return;
      // Look-back's events are a help, and gone with a reload; a take goes to the server from memory.
      if (arrivals.length === 0) throw error;
      this.#unstored = [...this.#unstored, ...numbered];
      this.#tell('keeping');
    }
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
    const inMemory = this.#unstored.filter((a) => a.layerId === layerId);
    this.#unstored = this.#unstored.filter((a) => a.layerId !== layerId);
    // Below, what cannot be packed in the storage waits in memory, which the queue says.
    const packed = this.#queue.atRisk ? undefined : await packArrivals(layerId, inMemory).catch(() => undefined);
    if (packed === undefined) {
      // What waits in memory must not be overtaken: what lies stored of the layer goes behind it there.
      const stored = await this.#stored(layerId);
      for (const request of chunksOf(layerId, [...stored, ...inMemory])) await this.#add(request);
    } else if (packed) {
      void this.#outbox.carry();
    }
  }

  /** Arrivals of a layer that lie stored. A storage that cannot be read is waited for: nothing goes ahead of them. */
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

  /** Resolves when the request lies in the browser, after those before it. */
  enqueue(request: QueuedRequest): Promise<void> {
    return this.#inTurn(() => this.#add(request));
  }

  /** The first request of a layer that is recorded from here on: the server is told of it until it is finished. */
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
      // A server that is away is found out, and said, by what is sent.
      console.debug('The server did not say whether the layer is open.', error);
    }
  }

  /** Lets the page go on in another layer. @returns whether it does: then nothing of this one is sent any more */
  #takeOver(layerId: string): Promise<boolean> {
    // The pulse and a piece that is refused find it out beside each other: it is one taking over.
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

  /** Drops the requests of a layer of which all is in another one of this browser: what waits of it is not sent. */
  forget(songId: string, layerId: string): Promise<void> {
    this.#ended(layerId);
    return this.#inTurn(async () => {
      this.#unpacked.delete(layerId);
      this.#chunks.delete(layerId);
      this.#unstored = this.#unstored.filter((a) => a.layerId !== layerId);
      // The layer is gone at the server: what stays stored of it is refused there, and nothing of it is missing.
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

  /** The last request of a layer: all of its events go ahead of it. */
  finish(layerId: string, request: QueuedRequest): Promise<void> {
    return this.#inTurn(async () => {
      await this.#pack(layerId);
      this.#ended(layerId);
      this.#chunks.delete(layerId);
      await this.#add(request);
    });
  }

  /** Takes an outside instrument's sound as it comes by a port; it is kept from the moment that it is opened. */
  capture(recordingId: string, port: MessagePort, rate: number, channels: number): void {
    this.#captured.begin(recordingId, port, rate, channels);
  }

  openRecording(recordingId: string, opening: QueuedRequest): void {
    this.#captured.open(recordingId, opening);
  }

  /** Its closing goes behind the last piece of it. */
  closeRecording(recordingId: string, closing: QueuedRequest): void {
    this.#captured.close(recordingId, closing);
  }

  /** The events of a layer that is whole already. */
  events(songId: string, layerId: string, events: readonly LayerEvent[], pass?: string): Promise<void> {
    return this.#inTurn(async () => {
      for (let i = 0; i < events.length; i += CHUNK) {
        const body = { events: events.slice(i, i + CHUNK) };
        await this.#add({ songId, pass, method: 'PUT', path: chunkPath(layerId, i / CHUNK + 1), body });
      }
    });
  }

  /** Sends the last events of a layer whose pass was cut off. */
  rescue(layerId: string): Promise<number> {
    return this.#inTurn(() => packArrivals(layerId));
  }

  /** Carries what there is. Resolves when everything is kept, or when the server turns out to be away. */
  carry(): Promise<SyncState> {
    return this.#inTurn(async () => {}).then(() => this.#outbox.carry());
  }

  /** Requests of a song that wait, in order: a song that is opened meanwhile is shown with it. */
  async waiting(songId: string): Promise<QueuedRequest[]> {
    return (await this.#queue.of(songId)).map((w) => w.request);
  }

  /**
   * A request that the server refused: a stale change is made again on the newer song, a layer that was closed under
   * the player's hands goes on as another one, anything else is put aside.
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
      // A storage that is full keeps it in memory, where the player still can save it as a file.
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

  /** Everything that the server refused and that was not decided on. */
  async parked(): Promise<Parked[]> {
    const here = [...this.#parkedHere.values()].map((p) => p.row);
    return [...(await this.#queue.parked()), ...here].sort((a, b) => a.at.localeCompare(b.at));
  }

  /** Requests that were refused of a pass or of a song's changes, in their order; their bytes stay where they are. */
  async parkedRequests(id: string): Promise<QueuedRequest[]> {
    return [...(await this.#queue.parkedRequests(id)), ...(this.#parkedHere.get(id)?.requests ?? [])];
  }

  /** The sound of what was refused as WAV files, one for each recording. */
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

  /** Sends what was refused once more, in its order. */
  async tryAgain(id: string): Promise<void> {
    // Out of where it was first: what is refused once more is put there anew.
    const here = this.#parkedHere.get(id)?.requests ?? [];
    this.#parkedHere.delete(id);
    await this.#inTurn(() => this.#queue.unpark(id, true));
    for (const request of here) await this.enqueue(request);
    await this.carry();
  }

  /** The player has decided: it is not kept any longer. */
  async letGo(id: string): Promise<void> {
    this.#parkedHere.delete(id);
    await this.#queue.unpark(id, false);
  }

  /** Look-back's buffer as the page last had it. */
  readBuffer(own: string): Promise<LookBackBuffer> {
    return readBuffer(own);
  }

  /** Lets go of what is older than what is worth holding. */
  trimBuffer(events: readonly BufferedEvent[]): Promise<void> {
    return trimBuffer(events);
  }

  forgetBuffer(): Promise<void> {
    return forgetBuffer();
  }
}
