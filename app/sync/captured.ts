import type { RecordedPiece, RecorderSaid } from '~~/engine/worklet/messages';
import type { Frames, Seconds } from '~~/core/time/units';
import { piecePath, type QueuedRequest } from './store';

/** Length of sound that is buffered before a recording is opened, so that a note just ahead of a punch-in is in it. */
const HELD: Seconds = 10;

/** Facts stored beside a piece's samples, with which refused pieces can be saved as a WAV file. */
export interface PieceFacts {
  readonly rate: number;
  readonly channels: number;
  readonly frame: Frames;
  /** Number of sample frames. */
  readonly frames: Frames;
}

interface Running {
  readonly rate: number;
  readonly channels: number;
  readonly port: MessagePort;
  /** Pieces that are in no request yet: the recording is not opened, or the request before is being written. */
  held: RecordedPiece[];
  opening: QueuedRequest | null;
  sequence: number;
  /** The number of requests that are being written into the browser's storage. */
  writing: number;
  /** Closing request, sent after the audio thread has delivered the last piece. */
  closing: QueuedRequest | null;
  ended: boolean;
}

/**
 * Most pieces in one request while recording. A machine that cannot keep up makes fewer, longer requests; the limit
 * bounds what a crash can lose.
 */
const MOST_TOGETHER = 3;
/**
 * Most buffered pieces in one request after the opening. They are not the newest sound, so a longer request loses no
 * more in a crash.
 */
const MOST_HELD_TOGETHER = 16;

/** Joins pieces end to end. */
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
 * Carries sound of outside instruments from the audio thread to the queue. It bypasses the page, so that a busy page
 * loses none. Before a recording is opened the last seconds are buffered; from then on every piece is a request, in
 * order.
 */
export class Captured {
  readonly #running = new Map<string, Running>();
  readonly #add: (request: QueuedRequest) => Promise<void>;

  /** @param add resolves when the request is in the browser's storage */
  constructor(add: (request: QueuedRequest) => Promise<void>) {
    this.#add = add;
  }

  /** Receives a recording's sound through a port. @param rate frames a second */
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

  /** Sends buffered pieces, unless a request is being written and the next one still has room. */
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

  /** Opens a recording: buffered sound and all that follows is kept. Opening it twice has no effect. */
  open(id: string, opening: QueuedRequest): void {
    const running = this.#running.get(id);
    if (!running || running.opening) return;
    running.opening = opening;
    void this.#add(opening);
    this.#send(id, running, MOST_HELD_TOGETHER);
  }

  /** Closes a recording behind its last piece. A recording that was never opened leaves nothing. */
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
    // A recording that no pass wanted is discarded.
    if (!opening) return;
    this.#send(id, running, 1);
    // The recording ends with this piece, even if another window sends the closing.
    const body = { ...(closing.body as object), last: running.sequence };
    void this.#add({ ...closing, pass: opening.pass, body });
  }
}
