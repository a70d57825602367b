import type { KeyMessage } from '../performance/messages';
import { tempoMap, secondsAt, tickAt } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { readLayer, type LayerClosing, type LayerEvent, type LayerHeader } from '../takes/layer';
import { clearsOf, type Mode } from './clears';
import type { CountOff } from './count';

/** Everything that decides what a pass does, fixed when Record is pressed. */
export interface PassPlan {
  readonly passId: string;
  readonly mode: Mode;
  readonly count: CountOff;
  /** What is to be recorded; `to` is the range's end or the song's. */
  readonly range: TickRange;
  /** A port's id, or null for any. */
  readonly keyboard: string | null;
  /** One for each part that listens. */
  readonly layers: readonly LayerHeader[];
}

interface Take {
  readonly plan: PassPlan;
  readonly startsAt: Seconds;
  readonly endsAt: Seconds;
  readonly kept: Kept | null;
}

/** What has been kept so far, newest first: a list that grows without being copied. */
interface Kept {
  readonly event: LayerEvent;
  readonly before: Kept | null;
}

export type PassState =
  | { readonly phase: 'idle' }
  | { readonly phase: 'playing'; readonly endsAt: Seconds }
  | { readonly phase: 'counting' } & Take
  | { readonly phase: 'recording' } & Take
  /** Stopped, and waiting for strikes made before the stop that are still on their way. */
  | { readonly phase: 'stopping'; readonly stoppedAt: Seconds } & Take;

export type PassInput =
  | { readonly type: 'play'; readonly from: Seconds; readonly endsAt: Seconds }
  | { readonly type: 'record'; readonly plan: PassPlan }
  | { readonly type: 'stop'; readonly at: Seconds }
  /** The song's clock as the audio has it; sent many times a second while rolling, and while stopping. */
  | { readonly type: 'clock'; readonly at: Seconds }
  | { readonly type: 'key'; readonly at: Seconds; readonly port: string; readonly message: KeyMessage };

export interface PassResult {
  readonly passId: string;
  readonly mode: Mode;
  readonly layers: readonly { readonly header: LayerHeader; readonly closing: LayerClosing; readonly notes: number }[];
}

export type PassEffect =
  | { readonly type: 'roll'; readonly from: Seconds; readonly music: Seconds; readonly count: CountOff | null }
  | { readonly type: 'halt'; readonly at: Seconds }
  | { readonly type: 'openLayer'; readonly header: LayerHeader }
  | { readonly type: 'keep'; readonly layerId: string; readonly event: LayerEvent }
  | { readonly type: 'closeLayer'; readonly layerId: string; readonly closing: LayerClosing }
  | { readonly type: 'finished'; readonly result: PassResult };

export interface PassStep {
  readonly state: PassState;
  readonly effects: readonly PassEffect[];
}

export const IDLE: PassState = { phase: 'idle' };

/**
 * How long after a stop an event stamped before it may still arrive: longer than a page that is kept busy
 * is late with its keyboard events, short enough that nobody waits for it.
 */
export const LATEST: Seconds = 0.25;

export const isRolling = (state: PassState): boolean => state.phase !== 'idle' && state.phase !== 'stopping';

function eventsOf(kept: Kept | null): LayerEvent[] {
  const events: LayerEvent[] = [];
  for (let k = kept; k; k = k.before) events.push(k.event);
  return events.reverse();
}

/**
 * Closes one layer over what was recorded: from the range's start to where recording ended.
 * Also used when a pass was cut off and its layer is closed from what was kept.
 */
export function closeLayer(header: LayerHeader, events: readonly LayerEvent[], mode: Mode, endedAt: Ticks) {
  const { from, to } = header.planned;
  const range = { from, to: Math.max(from, Math.min(endedAt, to)) };
  const { notes } = readLayer({ header, events, closing: { range, clears: [] } }, header.placement);
  return { header, closing: { range, clears: clearsOf(mode, range, notes) }, notes: notes.length };
}

function finish(state: Extract<PassState, { phase: 'stopping' }>): PassStep {
  const { plan, stoppedAt } = state;
  const events = eventsOf(state.kept);
  const layers = plan.layers.map((header) =>
    closeLayer(header, events, plan.mode, tickAt(tempoMap(header.tempo), stoppedAt)));
  return {
    state: IDLE,
    effects: [
      ...layers.map((l): PassEffect => ({ type: 'closeLayer', layerId: l.header.id, closing: l.closing })),
      { type: 'finished', result: { passId: plan.passId, mode: plan.mode, layers } },
    ],
  };
}

function begin(plan: PassPlan): PassStep {
  const tempo = plan.layers[0]?.tempo;
  if (!tempo) throw new RangeError('A pass needs a part that listens.');
  const map = tempoMap(tempo);
  const startsAt = secondsAt(map, plan.range.from);
  return {
    state: { phase: 'counting', plan, startsAt, endsAt: secondsAt(map, plan.range.to), kept: null },
    effects: [
      ...plan.layers.map((header): PassEffect => ({ type: 'openLayer', header })),
      { type: 'roll', from: plan.count.from, music: startsAt, count: plan.count },
    ],
  };
}

function stopAt(state: Extract<PassState, { phase: 'counting' | 'recording' }>, stoppedAt: Seconds): PassStep {
  return { state: { ...state, phase: 'stopping', stoppedAt }, effects: [{ type: 'halt', at: stoppedAt }] };
}

function onClock(state: PassState, at: Seconds): PassStep {
  switch (state.phase) {
    case 'idle': return { state, effects: [] };
    case 'playing': return at < state.endsAt ? { state, effects: [] } : { state: IDLE, effects: [{ type: 'halt', at: state.endsAt }] };
    case 'counting': return at < state.startsAt ? { state, effects: [] } : onClock({ ...state, phase: 'recording' }, at);
    case 'recording': return at < state.endsAt ? { state, effects: [] } : andThen(stopAt(state, state.endsAt), at);
    case 'stopping': return at < state.stoppedAt + LATEST ? { state, effects: [] } : finish(state);
  }
}

/** The clock may be read late: it can be past the end and past the wait for late strikes in one reading. */
function andThen(step: PassStep, at: Seconds): PassStep {
  const next = onClock(step.state, at);
  return { state: next.state, effects: [...step.effects, ...next.effects] };
}

function onKey(state: PassState, input: Extract<PassInput, { type: 'key' }>): PassStep {
  if (state.phase === 'idle' || state.phase === 'playing') return { state, effects: [] };
  const { plan } = state;
  if (plan.keyboard !== null && plan.keyboard !== input.port) return { state, effects: [] };
  const event: LayerEvent = { at: input.at, message: input.message };
  return {
    state: { ...state, kept: { event, before: state.kept } },
    effects: plan.layers.map((header) => ({ type: 'keep', layerId: header.id, event })),
  };
}

/**
 * The pass as a state machine. Commands, clock and keys go in; what the sound, the screen and the storage
 * must do comes out. Everything that arrives from the count on is kept in the layer; its range says what counts.
 * Input that makes no sense in a phase (Record while recording, say) changes nothing.
 */
export function pass(state: PassState, input: PassInput): PassStep {
  switch (input.type) {
    case 'play':
      return state.phase === 'idle'
        ? { state: { phase: 'playing', endsAt: input.endsAt }, effects: [{ type: 'roll', from: input.from, music: input.from, count: null }] }
        : { state, effects: [] };
    case 'record':
      // Recording out of playing starts over with the count: the roll takes the place of the one before.
      return state.phase === 'idle' || state.phase === 'playing' ? begin(input.plan) : { state, effects: [] };
    case 'stop':
      if (state.phase === 'playing') return { state: IDLE, effects: [{ type: 'halt', at: input.at }] };
      return state.phase === 'counting' || state.phase === 'recording' ? stopAt(state, input.at) : { state, effects: [] };
    case 'clock': return onClock(state, input.at);
    case 'key': return onKey(state, input);
  }
}
