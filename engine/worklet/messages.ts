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
  /** Further bank, whose sound comes through a port. */
  | { readonly type: 'further bank'; readonly name: string; readonly from: MessagePort }
  | { readonly type: 'drop bank'; readonly name: string }
  | { readonly type: 'channel'; readonly channel: number; readonly setting: ChannelSetting }
  | { readonly type: 'level'; readonly channel: number; readonly level: number }
  | { readonly type: 'tuning'; readonly cents: number }
  | { readonly type: 'click'; readonly sound: ClickSound; readonly gain: number }
  | { readonly type: 'play'; readonly channel: number; readonly message: KeyMessage }
  | { readonly type: 'schedule'; readonly packed: PackedSchedule }
  | { readonly type: 'panic' };

/** Message from the instrument to the page. */
export type FromInstrument =
  | { readonly type: 'ready' }
  /** Channel that was set; it plays from a further bank once that is loaded. */
  | { readonly type: 'channel set'; readonly channel: number }
  | { readonly type: 'bank here'; readonly name: string }
  | { readonly type: 'bank failed'; readonly name: string; readonly reason: string }
  /**
   * Peaks of the channels since the last message, 1 being full scale; about twenty times a second while anything
   * sounds.
   */
  | { readonly type: 'peaks'; readonly peaks: readonly number[] }
  | { readonly type: 'failed'; readonly reason: string };

/** Message to the instrument from the worker that reads a further bank. */
export type FromBank =
  | { readonly type: 'parts'; readonly parts: BankParts }
  | { readonly type: 'heads' | 'sounds'; readonly sounds: readonly SampleSound[] };
/** Samples that notes are about to need. */
export type ToBank = readonly number[];

/** Message of the meter, about twenty times a second while it changes. */
export interface MeterReading {
  /** Peak with decay, 1 being full scale; 0 is silence. */
  readonly peak: number;
  /** Number of samples at or over full scale since the last message. */
  readonly clips: number;
}

/** Options of a recorder. */
export interface RecorderOptions {
  readonly channels: number;
  /** Number of frames in one message. */
  readonly piece: Frames;
}
/** Interleaved samples, with the context's frame of the first. */
export interface RecordedPiece {
  readonly frame: Frames;
  readonly samples: Float32Array;
}
/** Message from a recorder: pieces, and a message after the last. */
export type RecorderSaid = RecordedPiece | 'end';
/** Message to a recorder: the port for its pieces, or its end. */
export type ToRecorder = { readonly to: MessagePort } | 'end';
