import type { KeyMessage } from '../../core/performance/messages';
import type { Accent } from '../../core/time/meter';
import type { Seconds } from '../../core/time/units';

/** A stroke of the click: a beat by its accent, or one between beats. */
export type ClickStroke = Accent | 'sub';

/** A message for a channel, or a click, at a time on the audio clock. */
export type Scheduled =
  | { readonly at: Seconds; readonly channel: number; readonly message: KeyMessage }
  | { readonly at: Seconds; readonly click: ClickStroke };

/** Setting of a sound of a channel. */
export interface SoundSetting {
  /** General MIDI program, from 0; for drums the kit. */
  readonly program: number;
  readonly gain: number;
  readonly shape: readonly Extract<KeyMessage, { type: 'control' }>[];
  readonly drums?: boolean;
  /** Bank that has its sound, of those beside General MIDI's; until it is there, the program sounds. */
  readonly bank?: string;
  /** The lowest and the highest key that it sounds for; all where none are given. */
  readonly keys?: readonly [number, number];
  /** Octaves that it sounds higher than its keys are. */
  readonly octave?: number;
  /** Level's share that the velocity decides, 1 as the sound has it. */
  readonly velocity?: number;
}

/** Setting of how a channel sounds. */
export interface ChannelSetting extends SoundSetting {
  /** Level of all that it sounds, 1 as its sounds have it. */
  readonly level?: number;
  readonly second?: SoundSetting;
}

/** The further banks that a setting wants, each once. */
export const banksOf = ({ bank, second }: ChannelSetting): string[] =>
  [...new Set([bank, second?.bank])].filter((name) => name !== undefined);
