import type { RecordedPiece, RecorderSaid } from '~~/engine/worklet/messages';
import type { Frames, Seconds } from '~~/core/time/units';
import { piecePath, type QueuedRequest } from './store';

/** Time for which samples before the opening of a recording are held: a note just ahead of a punch-in is in it. */
const HELD: Seconds = 10;

/** Facts of a piece beside its samples: where the server will not have them, they can be saved as a file. */
export interface PieceFacts {
  readonly rate: number;
  readonly channels: number;
  readonly frame: Frames;
  /** The number of frames. */
  readonly frames: Frames;
}

interface Running {
  readonly rate: number;
  readonly channels: number;
  readonly port: MessagePort;
  /** Pieces that are in no request yet: it is not opened, or the request before is being written. */
  held: RecordedPiece[];
  opening: QueuedRequest | null;
  sequence: number;
  /** The number of requests that are being written into the browser's storage. */
  writing: number;
  /** Its last request, which goes when the audio thread has sent the last piece. */
  closing: QueuedRequest | null;
  ended: boolean;
}

/**
 * The most pieces that go in one request while it records: on a machine that cannot keep up fewer and longer ones
 * are made, and a page that goes takes no more than these along.
 */
const MOST_TOGETHER = 3;
/** Pieces that were held before it was opened go together in longer requests: they are not at risk for being new. */
const MOST_HELD_TOGETHER = 16;

/** Pieces in one, each behind the one before. */
function together(pieces: readonly RecordedPiece[]): RecordedPiece {
  const samples = new Float32Array(pieces.reduce((sum, p) => sum + p.samples.length, 0));
  let at = 0;
  for (const piece of pieces) {
    samples.set(piece.samples, at);
    at += piece.samples.length;
  }
  return { frame: pieces[0]!.frame, samples };
}

/**
 * The sound of outside instruments on its way from the audio thread to the queue: it does not pass the page, so a page
 * that is busy keeps it as fast as any other. Until a recording is opened the last seconds of it are held; from then on
 * each piece is a request, in order.
 */
export class Captured {
  readonly #running = new Map<string, Running>();
  readonly #add: (request: QueuedRequest) => Promise<void>;

  /** @param add resolves when the request lies in the browser */
  constructor(add: (request: QueuedRequest) => Promise<void>) {
    this.#add = add;
  }

  /** Takes what comes by a port. @param rate frames a second */
  begin(id: string, port: MessagePort, rate: number, channels: number): void {
    this.#running.set(id, {
      rate,
      channels,
      port,
      held: [],
      opening: null,
      sequence: 0,
      writing: 0,
      closing: null,
      ended: false,
    });
    port.onmessage = ({ data }: MessageEvent<RecorderSaid>) => {
      if (data === 'end') this.#ended(id);
      else this.#take(id, data);
    };
  }

  #take(id: string, piece: RecordedPiece): void {
    const running = this.#running.get(id);
    if (!running) return;
    running.held.push(piece);
    this.#send(id, running, MOST_TOGETHER);
    if (running.opening) return;
    const since = piece.frame - HELD * running.rate;
    while (running.held[0]!.frame < since) running.held.shift();
  }

  /** Sends what is held, unless a request is being written and there is room for more beside it. */
  #send(id: string, running: Running, most: number): void {
    const { held, channels, rate, opening } = running;
    if (!opening) return;
    while (held.length > 0 && (running.writing === 0 || held.length >= most)) {
      let count = 1;
      const next = () => held[count - 1]!.frame + held[count - 1]!.samples.length / channels;
      while (count < Math.min(most, held.length) && held[count]!.frame === next()) count += 1;
      const { frame, samples } = together(held.splice(0, count));
      running.sequence += 1;
      running.writing += 1;
      const body: PieceFacts = { rate, channels, frame, frames: samples.length / channels };
      const { songId, pass } = opening;
      const path = piecePath(id, running.sequence, frame);
      const written = (): void => {
        running.writing -= 1;
        this.#send(id, running, MOST_TOGETHER);
      };
      void this.#add({ songId, pass, method: 'PUT', path, body, bytes: samples.buffer as ArrayBuffer }).then(
        written,
        written,
      );
    }
  }

  /** Opens it: from here on it is kept, with what is held of it. Opening it again changes nothing. */
  open(id: string, opening: QueuedRequest): void {
    const running = this.#running.get(id);
    if (!running || running.opening) return;
    running.opening = opening;
    void this.#add(opening);
    this.#send(id, running, MOST_HELD_TOGETHER);
  }

  /** Closing of a recording, sent behind its last piece. One that was never opened leaves nothing. */
  close(id: string, closing: QueuedRequest): void {
    const running = this.#running.get(id);
    if (!running) return;
    running.closing = closing;
    this.#settle(id, running);
  }

  #ended(id: string): void {
    const running = this.#running.get(id);
    if (!running) return;
    running.ended = true;
    this.#settle(id, running);
  }

  #settle(id: string, running: Running): void {
    const { closing, ended, opening, port } = running;
    if (!closing || !ended) return;
    this.#running.delete(id);
    port.close();
    // One that nobody wanted is let go of.
    if (!opening) return;
    this.#send(id, running, 1);
    // Until this many have come, whoever closed it meanwhile, it is not at its end.
    const body = { ...(closing.body as object), last: running.sequence };
    void this.#add({ ...closing, pass: opening.pass, body });
  }
}
