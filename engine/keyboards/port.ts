import type { Milliseconds } from '../../core/time/units';

/** Message as it came: bytes, and page time. */
export interface KeyEvent {
  readonly data: ArrayLike<number>;
  readonly timeStamp: Milliseconds;
}

export type KeyListener = (event: KeyEvent) => void;

/** Port of any keyboard: real MIDI, the computer's keys, the keys on screen, or the Bench keyboard. */
export interface KeyPort {
  readonly id: string;
  readonly name: string;
  readonly kind: 'midi' | 'computer' | 'screen' | 'bench';
  /** Starts listening. @returns a function that stops it */
  readonly listen: (listener: KeyListener) => () => void;
}
