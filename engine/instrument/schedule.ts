import type { KeyMessage } from '../../core/performance/messages';
import type { Accent } from '../../core/time/meter';
import type { Seconds } from '../../core/time/units';

/** A message for a channel, or a click, at a time on the audio clock. */
export type Scheduled =
  | { readonly at: Seconds; readonly channel: number; readonly message: KeyMessage }
  | { readonly at: Seconds; readonly click: Accent };

/** How a channel sounds. */
export interface ChannelSetting {
  readonly program: number;
  readonly gain: number;
  readonly shape: readonly KeyMessage[];
  /** The General MIDI drum channel takes its kit from `program`. */
  readonly drums?: boolean;
}
