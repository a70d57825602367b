import type { Milliseconds } from '../../core/time/units';
import type { KeyPort } from './port';

/** Reason why there are no MIDI ports, in words for the screen. */
export type MidiAbsence = 'missing' | 'refused' | 'failed';

/** MIDI output with an outside instrument. */
export interface MidiOut {
  readonly id: string;
  readonly name: string;
  /** @param at page time at which it sounds; at once where undefined or past */
  readonly send: (data: readonly number[], at?: Milliseconds) => void;
}

export interface MidiPorts {
  readonly ports: readonly KeyPort[];
  readonly outputs: readonly MidiOut[];
  readonly absence: MidiAbsence | null;
}

export const ABSENCE_WORDS: Readonly<Record<MidiAbsence, string>> = {
  missing:
    'This browser has no MIDI. Play on the screen or the computer’s keys, or open the page in a browser with Web MIDI.',
  refused:
    'The browser was not allowed to use MIDI. Allow it in the site’s settings beside the address, then look again.',
  failed: 'The MIDI system did not answer. Plug the keyboard in again, then look again.',
};

function portOf(input: MIDIInput): KeyPort {
  return {
    id: `midi:${input.id}`,
    name: input.name ?? 'MIDI keyboard',
    kind: 'midi',
    listen(listener) {
      const heard = (event: MIDIMessageEvent) => {
        if (event.data) listener({ data: event.data, timeStamp: event.timeStamp });
      };
      input.addEventListener('midimessage', heard);
      void input.open();
      return () => {
        input.removeEventListener('midimessage', heard);
        void input.close();
      };
    },
  };
}

/** Watches the MIDI ports. @param changed called with the connected ports, at first and after each change */
export async function watchMidi(changed: (found: MidiPorts) => void): Promise<void> {
  if (typeof navigator.requestMIDIAccess !== 'function') {
    changed({ ports: [], outputs: [], absence: 'missing' });
    return;
  }
  try {
    const access = await navigator.requestMIDIAccess();
    const look = () =>
      changed({
        ports: [...access.inputs.values()].filter((input) => input.state === 'connected').map(portOf),
        outputs: [...access.outputs.values()]
          .filter((output) => output.state === 'connected')
          .map((output) => ({
            id: output.id,
            name: output.name ?? 'MIDI instrument',
            send: (data, at) => output.send([...data], at),
          })),
        absence: null,
      });
    access.addEventListener('statechange', look);
    look();
  } catch (error) {
    const refused =
      error instanceof DOMException && (error.name === 'SecurityError' || error.name === 'NotAllowedError');
    changed({ ports: [], outputs: [], absence: refused ? 'refused' : 'failed' });
  }
}
