/** Passes through the reducer, for tests. Not part of the program. */
import { countOff } from '../recording/count';
import { EVERYTHING } from '../recording/inputRoutes';
import { pass } from '../recording/pass';
import {
  IDLE,
  type PassEffect,
  type PassInput,
  type PassPlan,
  type PassResult,
  type PassState,
} from '../recording/state';
import type { Layer, LayerEvent } from '../takes/layer';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import type { Seconds } from '../time/units';
import { header } from './arbitraries';

const fourFour = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const at120 = tempoMap([{ tick: 0, bpm: 120 }]);

/** A pass over bar 2 at 120, from 2 to 4 s, counted off from 0 s. */
export const planOf = (over: Partial<PassPlan> = {}): PassPlan => {
  const range = over.range ?? { from: 3840, to: 7680 };
  return {
    passId: 'pass',
    mode: 'new take',
    count: countOff(at120, fourFour, over.music ?? range.from, 1),
    range,
    music: range.from,
    leadOut: 0,
    loop: null,
    punched: false,
    songEnds: 64,
    wait: 'no',
    round: { bar: 2, beats: [], ahead: 0.125 },
    routes: [EVERYTHING],
    layers: [header({ planned: range })],
    ...over,
  };
};

export const key = (at: Seconds, on = true, port = 'bench', number = 60): PassInput => ({
  type: 'key',
  at,
  port,
  message: on ? { type: 'noteOn', key: number, velocity: 80 } : { type: 'noteOff', key: number, velocity: 64 },
});
export const pedal = (at: Seconds, value: number): PassInput => ({
  type: 'key',
  at,
  port: 'bench',
  message: { type: 'control', controller: 64, value },
});
export const clock = (at: Seconds): PassInput => ({ type: 'clock', at });

export function run(
  inputs: readonly PassInput[],
  from: PassState = IDLE,
): { state: PassState; effects: PassEffect[]; phases: string[] } {
  const effects: PassEffect[] = [];
  const phases: string[] = [];
  let state = from;
  for (const input of inputs) {
    const step = pass(state, input);
    state = step.state;
    effects.push(...step.effects);
    phases.push(state.phase);
  }
  return { state, effects, phases };
}

/** Layers that storage would hold after these effects. */
export function layersOf(effects: readonly PassEffect[]): Layer[] {
  return effects.flatMap((open): Layer[] => {
    if (open.type !== 'openLayer') return [];
    const { id } = open.header;
    const events = effects.flatMap((e): LayerEvent[] => (e.type === 'keep' && e.layerId === id ? [e.event] : []));
    return effects.flatMap((e) =>
      e.type === 'closeLayer' && e.layerId === id ? [{ header: open.header, events, closing: e.closing }] : [],
    );
  });
}

/** Results to be put into takes. */
export const resultsOf = (effects: readonly PassEffect[]): PassResult[] =>
  effects.flatMap((e) => (e.type === 'recorded' ? [e.result] : []));
