import type { SongDocument } from '../document/document';
import type { SoundInput } from '../document/part';
import { listenersOf } from './inputRoutes';

/** Armed part whose outside instrument is recorded beside its keys. */
export interface Sounding {
  readonly part: string;
  readonly name: string;
  readonly input: SoundInput;
}

/** Armed parts with an audio input for their instrument. */
export const soundingParts = (song: SongDocument): Sounding[] =>
  listenersOf(song).flatMap(({ part }) => (part.input ? [{ part: part.id, name: part.name, input: part.input }] : []));

/**
 * Reason why their sound is not recorded in the next pass although it is set; null where it is. Sound cannot be placed
 * like keys: recorded at a slower practice speed, it would be longer than its bars.
 */
export function withoutSound({ brief, speed }: Pick<SongDocument, 'brief' | 'speed'>): string | null {
  if (brief.ride !== null) return 'Only a controller is recorded in this pass, so no sound is.';
  if (speed !== 1) return 'The song runs slower than it is written, so the keys are recorded without their sound.';
  return null;
}
