import type { KeyMessage } from '../../core/performance/messages';
import type { Accent } from '../../core/time/meter';
import type { Seconds } from '../../core/time/units';

/** Click: of a beat, by its accent, or between beats. */
export type ClickStroke = Accent | 'sub';

/** Message for a channel, or a click, at an audio time. */
export type Scheduled =
  | { readonly at: Seconds; readonly channel: number; readonly message: KeyMessage }
  | { readonly at: Seconds; readonly click: ClickStroke };

/** Setting of a channel's sound. */
export interface SoundSetting {
  /** General MIDI program, from 0; for drums the kit. */
  readonly program: number;
  readonly gain: number;
  readonly shape: readonly Extract<KeyMessage, { type: 'control' }>[];
  readonly drums?: boolean;
  /** Further bank of the sound; until it is loaded, the program sounds. */
  readonly bank?: string;
  /** Lowest and highest key of the sound; all where undefined. */
  readonly keys?: readonly [number, number];
  /** Octaves by which it is transposed. */
  readonly octave?: number;
  /** Influence of velocity on the level, 1 as the sound has it. */
  readonly velocity?: number;
}

/** Setting of a channel. */
export interface ChannelSetting extends SoundSetting {
  /** Gain of the channel, 1 as its sounds have it. */
  readonly level?: number;
  readonly second?: SoundSetting;
}

/** Further banks of a setting, each once. */
export const banksOf = ({ bank, second }: ChannelSetting): string[] =>
  [...new Set([bank, second?.bank])].filter((name) => name !== undefined);
