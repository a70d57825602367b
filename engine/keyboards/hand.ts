import type { Milliseconds } from '../../core/time/units';
import type { KeyListener, KeyPort } from './port';

/** Keyboard that is played by pointer or computer keys; its owner says which keys go down. */
export interface HandPort extends KeyPort {
  readonly down: (key: number, velocity: number, timeStamp: Milliseconds) => void;
  readonly up: (key: number, timeStamp: Milliseconds) => void;
  readonly pedal: (down: boolean, timeStamp: Milliseconds) => void;
}

export function handPort(id: string, name: string, kind: 'computer' | 'screen'): HandPort {
  const listeners = new Set<KeyListener>();
  const send = (data: number[], timeStamp: Milliseconds) =>
    listeners.forEach((listener) => listener({ data, timeStamp }));
  return {
    id,
    name,
    kind,
    listen(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    down: (key, velocity, timeStamp) => send([0x90, key, velocity], timeStamp),
    up: (key, timeStamp) => send([0x80, key, 64], timeStamp),
    pedal: (down, timeStamp) => send([0xb0, 64, down ? 127 : 0], timeStamp),
  };
}

/** Two rows of the computer's keyboard as piano keys, by position and not letter, in semitones from the lower C. */
const SEMITONES: Readonly<Record<string, number>> = {
  KeyA: 0,
  KeyW: 1,
  KeyS: 2,
  KeyE: 3,
  KeyD: 4,
  KeyF: 5,
  KeyT: 6,
  KeyG: 7,
  KeyY: 8,
  KeyH: 9,
  KeyU: 10,
  KeyJ: 11,
  KeyK: 12,
  KeyO: 13,
  KeyL: 14,
  KeyP: 15,
  Semicolon: 16,
  Quote: 17,
};

/** Piano key of a computer key, with the lower C in `octave` (4 for middle C); undefined for others. */
export function computerKey(code: string, octave: number): number | undefined {
  const semitone = SEMITONES[code];
  return semitone === undefined ? undefined : 12 * (octave + 1) + semitone;
}
