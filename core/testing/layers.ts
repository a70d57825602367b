/** Layers written in beats at 120, for tests. */
import { header } from './arbitraries';
import type { KeyMessage } from '../performance/messages';
import { valuesBefore } from '../performance/controls';
import type { Reading } from '../performance/notes';
import type { Layer, LayerEvent } from '../takes/layer';

/** A beat at 120, in seconds and in ticks. */
const beat = (n: number): number => n / 2;

export const at = (n: number, message: KeyMessage): LayerEvent => ({ at: beat(n), message });

export const on = (n: number, key = 60): LayerEvent => at(n, { type: 'noteOn', key, velocity: 80 });

export const off = (n: number, key = 60): LayerEvent => at(n, { type: 'noteOff', key, velocity: 64 });

export const pedal = (n: number, down: boolean): LayerEvent =>
  at(n, { type: 'control', controller: 64, value: down ? 127 : 0 });

export const bend = (n: number, value: number): LayerEvent => at(n, { type: 'bend', value });

export const range = (from: number, to: number) => ({ from: from * 960, to: to * 960 });

export const layer = (
  id: string,
  from: number,
  to: number,
  events: LayerEvent[],
  over: Partial<Layer['closing']> = {},
  head = {},
): Layer => ({
  header: header({ id, takeId: `take ${id}`, partId: 'piano', planned: range(from, to), ...head }),
  events,
  closing: { range: range(from, to), clears: [], ...over },
});

export const replacing = (
  id: string,
  from: number,
  to: number,
  events: LayerEvent[],
  over: Partial<Layer['closing']> = {},
): Layer => layer(id, from, to, events, { clears: [range(from, to)], ...over });

export const HEARD = { policy: 'heard', nudge: 0 } as const;

export const sustain = (n: number, value: number): LayerEvent => at(n, { type: 'control', controller: 64, value });

/** Layer of some events over a range in beats. */
export const layerFrom = (
  events: LayerEvent[],
  from: number,
  to: number,
  over: Partial<Layer['header']> = {},
  clears: Layer['closing']['clears'] = [],
): Layer => ({ header: header(over), events, closing: { range: range(from, to), clears } });

/** Notes of a reading, each as key, start and end in beats. */
export const starts = (r: Reading) => r.notes.map((n) => [n.key, n.start / 960, n.end / 960]);

/** Value of the sustain pedal at a tick. */
export const sustainAt = (r: Reading, tick: number) =>
  valuesBefore(r.controls, tick + 1e-6).get('control 64')?.value ?? 0;
