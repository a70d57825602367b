import type { KeyMessage } from '../../core/performance/messages';
import { bankSoundOf, programOf, type BankSound, type Sound } from '../../core/vocabulary/sounds';

export interface Preset {
  /** General MIDI program, from 0. */
  readonly program: number;
  /** Gain that brings the sounds to about one loudness. */
  readonly gain: number;
  /** Controllers that shape the preset into the sound its name promises. */
  readonly shape: readonly KeyMessage[];
  /** Bank that it lies in, where that is not General MIDI's. */
  readonly bank?: string;
}

/** Bank of the grand, which is made when the program is built. */
export const GRAND = 'grand';

/** Name by which the engine has one sound of a bank that was brought in. */
const bankNameOf = ({ hash, bank, program }: BankSound): string => `${hash}/${bank}-${program}`;

const control = (controller: number, value: number): KeyMessage => ({ type: 'control', controller, value });

/** A felt strip between hammer and string: darker (74), slower (73), longer in its release (72). */
const FELT = [control(74, 38), control(73, 70), control(72, 70)];
/** Softer on top than the preset it is made from. */
const REED = [control(74, 50)];

const SHAPES: Partial<Record<Sound, readonly KeyMessage[]>> = { 'felt piano': FELT, 'reed piano': REED };

const GAINS: Partial<Record<Sound, number>> = { 'full grand': 0.45, 'tonewheel organ': 0.7, clavi: 0.7 };

/** The preset behind each of our sounds. */
export function presetOf(sound: Sound): Preset {
  const gain = GAINS[sound] ?? 1;
  const preset = { program: sound === 'felt piano' ? 0 : programOf(sound), gain, shape: SHAPES[sound] ?? [] };
  const own = bankSoundOf(sound);
  if (own) return { ...preset, bank: bankNameOf(own) };
  return sound === 'full grand' ? { ...preset, bank: GRAND } : preset;
}
