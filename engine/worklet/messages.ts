import type { KeyMessage } from '../../core/performance/messages';
import type { ClickSound } from '../../core/document/click';
import type { BankParts, SampleSound } from '../instrument/furtherBank';
import type { ChannelSetting } from '../instrument/schedule';
import type { Frames } from '../../core/time/units';
import type { PackedSchedule } from './packedSchedule';

export const INSTRUMENT = 'instrument';
export const METER = 'meter';
export const RECORDER = 'recorder';

/** Message from the page to the instrument. */
export type ToInstrument =
  | { readonly type: 'bank'; readonly bytes: ArrayBuffer }
  /** A further bank, whose sound comes by a port. */
  | { readonly type: 'further bank'; readonly name: string; readonly from: MessagePort }
  | { readonly type: 'drop bank'; readonly name: string }
  | { readonly type: 'channel'; readonly channel: number; readonly setting: ChannelSetting }
  | { readonly type: 'level'; readonly channel: number; readonly level: number }
  | { readonly type: 'tuning'; readonly cents: number }
  | { readonly type: 'click'; readonly sound: ClickSound; readonly gain: number }
  | { readonly type: 'play'; readonly channel: number; readonly message: KeyMessage }
  | { readonly type: 'schedule'; readonly packed: PackedSchedule }
  | { readonly type: 'panic' };

/** Answer of the instrument. */
export type FromInstrument =
  | { readonly type: 'ready' }
  /** A channel is set; from a further bank it plays once that is here. */
  | { readonly type: 'channel set'; readonly channel: number }
  | { readonly type: 'bank here'; readonly name: string }
  | { readonly type: 'bank failed'; readonly name: string; readonly reason: string }
  /**
   * Some twenty times a second while anything sounds: the loudest sample of each channel since the last time, 1 being
   * full scale.
   */
  | { readonly type: 'peaks'; readonly peaks: readonly number[] }
  | { readonly type: 'failed'; readonly reason: string };

/** Message to the instrument from the thread that reads a further bank. */
export type FromBank =
  | { readonly type: 'parts'; readonly parts: BankParts }
  | { readonly type: 'heads' | 'sounds'; readonly sounds: readonly SampleSound[] };
/** The samples of a bank that notes are about to need. */
export type ToBank = readonly number[];

/** The meter's word, some twenty times a second while it changes. */
export interface MeterReading {
  /** Loudest sample of late, falling from its height, 1 being full scale; 0 is silence. */
  readonly peak: number;
  /** Samples at or over full scale since the last reading. */
  readonly clips: number;
}

/** Options that a recorder is made with. */
export interface RecorderOptions {
  readonly channels: number;
  /** Number of frames that it sends at once. */
  readonly piece: Frames;
}
/** Samples that came in, its channels interleaved, and the context's frame at which the first of them did. */
export interface RecordedPiece {
  readonly frame: Frames;
  readonly samples: Float32Array;
}
/** Message from a recorder: pieces, and a word when the last has been sent. */
export type RecorderSaid = RecordedPiece | 'end';
/** Message to a recorder: by which port its pieces go out, or that it is to end. */
export type ToRecorder = { readonly to: MessagePort } | 'end';
