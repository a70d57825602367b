import type { LayerClosing, LayerEvent, LayerHeader } from '../takes/layer';
import type { Seconds, TickRange, Ticks } from '../time/units';
import type { Mode, LapPolicy, Wait } from '../vocabulary/modes';
import type { CountBeat, CountOff } from './count';
import type { InputRoute } from './inputRoutes';
import type { Closed, Heard, HeardList, Lap } from './lap';

/** Everything that decides what a pass does, fixed when Record is pressed. */
export interface PassPlan {
  readonly passId: string;
  readonly mode: Mode;
  readonly count: CountOff;
  /** Wait of the count for the first note: none, or what that note is (`WAITS`). */
  readonly wait: Wait;
  /**
   * Bar of the repeating count: its length, its beats before the start, and how far ahead of a bar a note still means
   * that bar.
   */
  readonly round: { readonly bar: Seconds; readonly beats: readonly CountBeat[]; readonly ahead: Seconds };
  /** Start of the music: the range's start, or the lead-in's. */
  readonly music: Ticks;
  /** Range to be recorded; `to` is the range's end or the song's. */
  readonly range: TickRange;
  /** Place up to which the music plays on afterwards. */
  readonly leadOut: Ticks;
  /** Start of the loop and what its laps do; null without a loop. */
  readonly loop: { readonly from: Ticks; readonly laps: LapPolicy } | null;
  /** True for recording that begins and ends in rolling music. */
  readonly punched: boolean;
  /** Time at which playback stops that goes on after a punch-out. */
  readonly songEnds: Seconds;
  /** Header of a layer for each armed part. */
  readonly layers: readonly LayerHeader[];
  /** Input route of each armed part, in the same order. */
  readonly routes: readonly InputRoute[];
}

export type Phase =
  | 'idle'
  | 'playing'
  | 'counting'
  | 'waiting'
  | 'lead-in'
  | 'recording'
  | 'lead-out'
  /** Stopped, and waiting for late messages from before the stop. */
  | 'stopping';

/** Loop in song time. */
export interface Loop {
  readonly from: Seconds;
  readonly to: Seconds;
}

export interface PassState {
  readonly phase: Phase;
  /** Plan of the running pass, from the count to the stop. */
  readonly plan: PassPlan | null;
  /** Loop that repeats, if any. */
  readonly loop: Loop | null;
  /** Time at which playback stops, on the rolling clock. */
  readonly endsAt: Seconds;
  readonly laps: readonly Lap[];
  /** Messages of the last few seconds while nothing records: a note just ahead of a punch-in belongs to the pass. */
  readonly recent: { readonly young: HeardList | null; readonly old: HeardList | null; readonly turned: Seconds };
  /** Latest value of each controller of each keyboard. */
  readonly lastValues: ReadonlyMap<string, Heard>;
}

export type PassInput =
  | {
      readonly type: 'play';
      readonly from: Seconds;
      readonly endsAt: Seconds;
      readonly count?: CountOff | null;
      readonly loop?: Loop | null;
    }
  | { readonly type: 'record'; readonly plan: PassPlan }
  /** Recording begins in rolling music, at the plan's range. */
  | { readonly type: 'punch in'; readonly at: Seconds; readonly plan: PassPlan }
  /** Recording ends and the music plays on. */
  | { readonly type: 'punch out'; readonly at: Seconds }
  /** Other parts are armed from here on. Headers are as in a plan; parts that stay armed go on. */
  | {
      readonly type: 'listen';
      readonly at: Seconds;
      readonly layers: readonly LayerHeader[];
      readonly routes: readonly InputRoute[];
    }
  | { readonly type: 'stop'; readonly at: Seconds }
  /** Rolling clock of the audio, sent many times a second while rolling and while stopping. */
  | { readonly type: 'clock'; readonly at: Seconds }
  | ({ readonly type: 'key' } & Heard)
  /** Many messages in order; equal to one after another. */
  | { readonly type: 'keys'; readonly heard: readonly Heard[] };

export interface PassResult {
  readonly passId: string;
  readonly mode: Mode;
  /** Song time is the rolling clock less this. */
  readonly frame?: Seconds;
  readonly layers: readonly Closed[];
}

export type PassEffect =
  | { readonly type: 'roll'; readonly from: Seconds; readonly music: Seconds; readonly count: CountOff | null }
  /** The wait ends: the song's clock is set back by `by`, and the music begins. */
  | { readonly type: 'begin'; readonly by: Seconds }
  | { readonly type: 'halt'; readonly at: Seconds }
  | { readonly type: 'openLayer'; readonly header: LayerHeader; readonly mode: Mode }
  | { readonly type: 'keep'; readonly layerId: string; readonly event: LayerEvent }
  | { readonly type: 'closeLayer'; readonly layerId: string; readonly closing: LayerClosing }
  /** A lap, or a pass without a loop, is ready to become takes. */
  | { readonly type: 'recorded'; readonly result: PassResult }
  | { readonly type: 'finished'; readonly passId: string };

export interface PassStep {
  readonly state: PassState;
  readonly effects: readonly PassEffect[];
}

export const IDLE: PassState = {
  phase: 'idle',
  plan: null,
  loop: null,
  endsAt: 0,
  laps: [],
  recent: { young: null, old: null, turned: 0 },
  lastValues: new Map(),
};
/**
 * Time after a stop in which an event stamped before it may arrive. It exceeds the delay of a busy page's keyboard
 * events and of taught keys that are held back, and is short enough not to be waited for.
 */
export const LATEST: Seconds = 0.4;
export const isRolling = ({ phase }: Pick<PassState, 'phase'>): boolean => phase !== 'idle' && phase !== 'stopping';
/** Test for a phase from the count to the end of the lead-out. */
export const inPass = ({ phase }: Pick<PassState, 'phase'>): boolean => isRolling({ phase }) && phase !== 'playing';

/** Place of the song at a time of the rolling clock. */
export function songAt(loop: Loop | null, rolling: Seconds): Seconds {
  if (!loop || rolling < loop.to) return rolling;
  return loop.from + ((rolling - loop.from) % (loop.to - loop.from));
}
/** Lap at a time of the rolling clock, from 0. */
export const lapAt = (loop: Loop | null, rolling: Seconds): number =>
  loop && rolling >= loop.to ? Math.floor((rolling - loop.from) / (loop.to - loop.from)) : 0;
