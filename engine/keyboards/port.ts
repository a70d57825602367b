import type { Milliseconds } from '../../core/time/units';

/** One message as it came: its bytes, and when it happened on the page's clock. */
export interface KeyEvent {
  readonly data: ArrayLike<number>;
  readonly timeStamp: Milliseconds;
}

export type KeyListener = (event: KeyEvent) => void;

/**
 * Port: what every keyboard looks like to the rest: a real MIDI port, the computer's keys, the screen's, the Bench
 * keyboard.
 */
export interface KeyPort {
  readonly id: string;
  readonly name: string;
  readonly kind: 'midi' | 'computer' | 'screen' | 'bench';
  /** Starts to listen. Returns what stops it. */
  readonly listen: (listener: KeyListener) => () => void;
}
