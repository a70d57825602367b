import type { RecordedPiece, RecorderSaid } from '~~/engine/worklet/messages';
import type { Frames, Seconds } from '~~/core/time/units';
import { piecePath, type Errand } from './store';

/** What came before a recording is opened is held so long: a strike just ahead of a punch-in is in it. */
const HELD: Seconds = 10;

/** What is known of a piece beside its samples: where the server will not have them, they can be saved as a file. */
export interface PieceFacts {
  readonly rate: number;
  readonly channels: number;
  readonly frame: Frames;
  /** How many there are. */
  readonly frames: Frames;
}

interface Running {
  readonly rate: number;
  readonly channels: number;
  readonly port: MessagePort;
  /** What came while it is not opened yet. */
  held: readonly RecordedPiece[];
  opening: Errand | null;
  sequence: number;
  /** Its last errand, which goes when the audio thread has sent the last piece. */
  closing: Errand | null;
  ended: boolean;
}

/**
 * The sound of outside instruments on its way from the audio thread to the queue: it does not pass the page, so a page
 * that is busy keeps it as fast as any other. Until a recording is opened the last seconds of it are held; from then on
 * each piece is an errand, in order.
 */
export class Captured {
  readonly #running = new Map<string, Running>();
  readonly #add: (errand: Errand) => void;

  constructor(add: (errand: Errand) => void) {
    this.#add = add;
  }

  /** Takes what comes by a port. @param rate frames a second */
  begin(id: string, port: MessagePort, rate: number, channels: number): void {
    this.#running.set(id, { rate, channels, port, held: [], opening: null, sequence: 0, closing: null, ended: false });
    port.onmessage = ({ data }: MessageEvent<RecorderSaid>) => {
      if (data === 'end') this.#ended(id);
      else this.#take(id, data);
    };
  }

  #take(id: string, piece: RecordedPiece): void {
    const running = this.#running.get(id);
    if (!running) return;
    if (running.opening) {
      this.#send(id, running, running.opening, piece);
      return;
    }
    const since = piece.frame - HELD * running.rate;
    running.held = [...running.held.filter((p) => p.frame >= since), piece];
  }

  #send(id: string, running: Running, { songId, pass }: Errand, { frame, samples }: RecordedPiece): void {
    running.sequence += 1;
    const { rate, channels, sequence } = running;
    const body: PieceFacts = { rate, channels, frame, frames: samples.length / channels };
    const path = piecePath(id, sequence, frame);
    this.#add({ songId, pass, method: 'PUT', path, body, bytes: samples.buffer as ArrayBuffer });
  }

  /** From here on it is kept, with what is held of it. Opening it again changes nothing. */
  open(id: string, opening: Errand): void {
    const running = this.#running.get(id);
    if (!running || running.opening) return;
    running.opening = opening;
    this.#add(opening);
    for (const piece of running.held) this.#send(id, running, opening, piece);
    running.held = [];
  }

  /** What goes to the server when the last piece has come. One that was never opened leaves nothing. */
  close(id: string, closing: Errand): void {
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

  #settle(id: string, { closing, ended, opening, sequence, port }: Running): void {
    if (!closing || !ended) return;
    this.#running.delete(id);
    port.close();
    if (!opening) return;
    // Until this many have come, whoever closed it meanwhile, it is not at its end.
    this.#add({ ...closing, pass: opening.pass, body: { ...(closing.body as object), last: sequence } });
  }
}
