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
  /** Wait: whether the count goes round until the first note. */
  readonly wait: Wait;
  /**
   * The bar of the count that goes round: its length, its beats before the start, and how far ahead of a bar a note
   * still means that bar.
   */
  readonly round: { readonly bar: Seconds; readonly beats: readonly CountBeat[]; readonly ahead: Seconds };
  /** Place where the music starts: the range's start, or the lead-in's. */
  readonly music: Ticks;
  /** Range that is to be recorded; `to` is the range's end or the song's. */
  readonly range: TickRange;
  /** Place up to which the music goes on after it. */
  readonly leadOut: Ticks;
  /** Place that a loop goes back to, and what its laps do; null without one. */
  readonly loop: { readonly from: Ticks; readonly laps: LapPolicy } | null;
  /** Recording began and ends in rolling music, which goes on. */
  readonly punched: boolean;
  /** Place where playing stops that goes on after a punch. */
  readonly songEnds: Seconds;
  /** One for each part that listens. */
  readonly layers: readonly LayerHeader[];
  /** Ears of each of them, in the same order. */
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
  /** Stopped, and waiting for notes made before the stop that are still on their way. */
  | 'stopping';

/** Seconds of the song that go round. */
export interface Loop {
  readonly from: Seconds;
  readonly to: Seconds;
}

export interface PassState {
  readonly phase: Phase;
  /** The pass under way, from the count to the stop. */
  readonly plan: PassPlan | null;
  /** Loop that goes round, while something does. */
  readonly loop: Loop | null;
  /** Place where playing stops, on the rolling clock. */
  readonly endsAt: Seconds;
  readonly laps: readonly Lap[];
  /** The last few seconds of the keys while nothing records: a note just ahead of a punch belongs to it. */
  readonly recent: { readonly young: HeardList | null; readonly old: HeardList | null; readonly turned: Seconds };
  /** Last setting of each controller of each keyboard. */
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
  /** Recording begins in music that rolls, at the plan's range. */
  | { readonly type: 'punch in'; readonly at: Seconds; readonly plan: PassPlan }
  /** Recording ends and the music goes on. */
  | { readonly type: 'punch out'; readonly at: Seconds }
  /** Other parts hear the keys from here on. Headers as a plan has them; one that listens already goes on. */
  | {
      readonly type: 'listen';
      readonly at: Seconds;
      readonly layers: readonly LayerHeader[];
      readonly routes: readonly InputRoute[];
    }
  | { readonly type: 'stop'; readonly at: Seconds }
  /** The rolling clock as the audio has it; sent many times a second while rolling, and while stopping. */
  | { readonly type: 'clock'; readonly at: Seconds }
  | ({ readonly type: 'key' } & Heard)
  /** Many keys at once, in order: the same as one after another. */
  | { readonly type: 'keys'; readonly heard: readonly Heard[] };

export interface PassResult {
  readonly passId: string;
  readonly mode: Mode;
  /** Time that its lap takes off the rolling clock. */
  readonly frame?: Seconds;
  readonly layers: readonly Closed[];
}

export type PassEffect =
  | { readonly type: 'roll'; readonly from: Seconds; readonly music: Seconds; readonly count: CountOff | null }
  /** The wait is over: the song's clock is `by` behind what it was, and the music begins. */
  | { readonly type: 'begin'; readonly by: Seconds }
  | { readonly type: 'halt'; readonly at: Seconds }
  | { readonly type: 'openLayer'; readonly header: LayerHeader; readonly mode: Mode }
  | { readonly type: 'keep'; readonly layerId: string; readonly event: LayerEvent }
  | { readonly type: 'closeLayer'; readonly layerId: string; readonly closing: LayerClosing }
  /** A pass without a loop, or one lap, is there to be put into takes. */
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
 * Time after a stop within which an event stamped before it may still arrive: longer than a page that is recorded busy
 * is late with its keyboard events, or a taught key is lastValues back, short enough that nobody waits for it.
 */
export const LATEST: Seconds = 0.4;
export const isRolling = ({ phase }: Pick<PassState, 'phase'>): boolean => phase !== 'idle' && phase !== 'stopping';
/** Test for a phase from the count to the end of the lead-out. */
export const inPass = ({ phase }: Pick<PassState, 'phase'>): boolean => isRolling({ phase }) && phase !== 'playing';

/** Place of the song when the rolling clock says so. */
export function songAt(loop: Loop | null, rolling: Seconds): Seconds {
  if (!loop || rolling < loop.to) return rolling;
  return loop.from + ((rolling - loop.from) % (loop.to - loop.from));
}
/** Number of times the loop has gone round, from 0. */
export const lapAt = (loop: Loop | null, rolling: Seconds): number =>
  loop && rolling >= loop.to ? Math.floor((rolling - loop.from) / (loop.to - loop.from)) : 0;
