import type { ClickSound } from '../../core/document/click';
import type { WavFacts } from '../../core/files/wav';
import type { Levels } from '../../core/handover/loudness';
import type { Frames, Seconds } from '../../core/time/units';
import type { ChannelSetting, Scheduled } from '../../engine/instrument/schedule';

/** Sound that a worker makes. It is plain data: it goes from thread to thread. */
export interface BounceTask {
  readonly type: 'bounce';
  /** Path where it is written: samples behind room for a header. */
  readonly path: string;
  readonly facts: WavFacts;
  readonly channel: { readonly number: number; readonly setting: ChannelSetting } | null;
  /** Folder of the sound banks that were brought in, by their hashes. */
  readonly ownBanks: string;
  /** In cents against an A of 440 Hz. */
  readonly tuning: number;
  readonly click: { readonly sound: ClickSound; readonly gain: number } | null;
  readonly events: readonly Scheduled[];
  /** Times of the whole song's events: blocks are split there, so that the parts add up to what is heard. */
  readonly splits: readonly Seconds[];
  /** The song's length. */
  readonly frames: Frames;
  /** Until how far behind it the sound may ring; the same as `frames` where it ends with the song. */
  readonly most: Frames;
}

/** A range of a recording, and where it lies in the song. */
export interface RecordedPiece {
  readonly path: string;
  /** Offset of its samples in the file, in bytes: 32-bit floats, interleaved. */
  readonly data: number;
  readonly rate: number;
  readonly channels: number;
  /** Number of frames. */
  readonly length: Frames;
  readonly from: Seconds;
  readonly to: Seconds;
  /** Distance of its start into the recording. */
  readonly into: Seconds;
  /** Semitones that it is to sound higher than it was recorded. */
  readonly semitones: number;
}

/** A part that goes out as the sound that was recorded with it. */
export interface RecordedTask extends Pick<BounceTask, 'path' | 'facts' | 'frames' | 'most'> {
  readonly type: 'recorded';
  readonly pieces: readonly RecordedPiece[];
  readonly gain: number;
}

export interface Bounced {
  /** Length that it reaches: the song's end, or where it has rung out. */
  readonly frames: Frames;
  readonly levels: Levels;
}

/** Sound that is there gets its last length, its header, and its format. */
export interface FinishTask {
  readonly type: 'finish';
  readonly path: string;
  readonly facts: WavFacts;
  /** Length that it reaches, and length that it is to have: silence fills up the rest. */
  readonly from: Frames;
  readonly frames: Frames;
  readonly container: 'wav' | 'flac';
}

/** Parts that were bounced are added up, to know what a client hears who plays them together. */
export interface SumTask {
  readonly type: 'sum';
  /** Each before it is finished: samples behind room for a header, and how many frames there are. */
  readonly parts: readonly { readonly path: string; readonly facts: WavFacts; readonly frames: Frames }[];
}

/** A bank of Downloadable Sounds becomes one whose sounds can be read by themselves. */
export interface BankTask {
  readonly type: 'bank';
  readonly path: string;
  readonly to: string;
}

export type SoundTask = BounceTask | RecordedTask | SumTask | FinishTask | BankTask;
/** Message from a worker: how many frames more are done, or what came of a task. */
export type FromWorker =
  | { readonly type: 'frames'; readonly frames: Frames }
  | { readonly type: 'done'; readonly result: Bounced | null }
  | { readonly type: 'failed'; readonly message: string; readonly code: string | undefined };

/** Files of the sound banks: General MIDI's, and the further ones by their names. */
export interface BankPaths {
  readonly general: string;
  readonly further: Readonly<Record<string, string>>;
}
export interface WorkerFacts {
  readonly banks: BankPaths;
}
