import type { KeyMessage } from '../../core/performance/messages';
import type { Accent } from '../../core/time/meter';
import type { Seconds } from '../../core/time/units';

/** A stroke of the click: a beat by its accent, or one between beats. */
export type ClickStroke = Accent | 'sub';

/** A message for a channel, or a click, at a time on the audio clock. */
export type Scheduled =
  | { readonly at: Seconds; readonly channel: number; readonly message: KeyMessage }
  | { readonly at: Seconds; readonly click: ClickStroke };

/** Setting of how a channel sounds. */
export interface ChannelSetting {
  /** General MIDI program, from 0; for drums the kit. */
  readonly program: number;
  readonly gain: number;
  readonly shape: readonly KeyMessage[];
  readonly drums?: boolean;
  /** Bank that has its sound, of those beside General MIDI's; until it is there, the program sounds. */
  readonly bank?: string;
}
