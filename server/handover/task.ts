import type { ClickSound } from '../../core/document/click';
import type { WavFacts } from '../../core/files/wav';
import type { Levels } from '../../core/handover/loudness';
import type { Frames, Seconds } from '../../core/time/units';
import type { ChannelSetting, Scheduled } from '../../engine/instrument/schedule';

/** Task of a rendering thread. It is plain data, as it goes to another thread. */
export interface BounceTask {
  readonly type: 'bounce';
  /** Path of its file: samples after room for a header. */
  readonly path: string;
  readonly facts: WavFacts;
  readonly channel: { readonly number: number; readonly setting: ChannelSetting } | null;
  /** Folder of imported sound banks, by hash. */
  readonly ownBanks: string;
  /** Tuning in cents against an A of 440 Hz. */
  readonly tuning: number;
  readonly click: { readonly sound: ClickSound; readonly gain: number } | null;
  readonly events: readonly Scheduled[];
  /** Times of all events in the song: blocks are split there, so that parts add up to the mix. */
  readonly splits: readonly Seconds[];
  /** Length of the song in frames. */
  readonly frames: Frames;
  /** Latest end of ringing; `frames` where the sound ends with the song. */
  readonly most: Frames;
}

/** Range of a recording, at its place in the song. */
export interface RecordedPiece {
  readonly path: string;
  /** Byte offset of its samples in the file: 32-bit floats, interleaved. */
  readonly data: number;
  readonly rate: number;
  readonly channels: number;
  /** Number of frames. */
  readonly length: Frames;
  readonly from: Seconds;
  readonly to: Seconds;
  /** Offset of its start in the recording. */
  readonly into: Seconds;
  /** Transposition in semitones. */
  readonly semitones: number;
}

/** Part that goes out as recorded sound. */
export interface RecordedTask extends Pick<BounceTask, 'path' | 'facts' | 'frames' | 'most'> {
  readonly type: 'recorded';
  readonly pieces: readonly RecordedPiece[];
  readonly gain: number;
}

export interface Bounced {
  /** Resulting length: the song's end, or the end of ringing. */
  readonly frames: Frames;
  readonly levels: Levels;
}

/** Task of giving a file its final length, header and format. */
export interface FinishTask {
  readonly type: 'finish';
  readonly path: string;
  readonly facts: WavFacts;
  /** Present and final length; silence fills up the rest. */
  readonly from: Frames;
  readonly frames: Frames;
  readonly container: 'wav' | 'flac';
}

/** Task of adding up bounced parts, for the peak of their sum. */
export interface SumTask {
  readonly type: 'sum';
  /** Unfinished files: samples after room for a header, and the number of frames. */
  readonly parts: readonly { readonly path: string; readonly facts: WavFacts; readonly frames: Frames }[];
}

/** Task of converting a Downloadable Sounds bank to one whose sounds are read separately. */
export interface BankTask {
  readonly type: 'bank';
  readonly path: string;
  readonly to: string;
}

export type SoundTask = BounceTask | RecordedTask | SumTask | FinishTask | BankTask;
/** Message from a thread: frames done, or the result of a task. */
export type FromWorker =
  | { readonly type: 'frames'; readonly frames: Frames }
  | { readonly type: 'done'; readonly result: Bounced | null }
  | { readonly type: 'failed'; readonly message: string; readonly code: string | undefined };

/** Files of sound banks: General MIDI's, and further ones by name. */
export interface BankPaths {
  readonly general: string;
  readonly further: Readonly<Record<string, string>>;
}
export interface WorkerFacts {
  readonly banks: BankPaths;
}
