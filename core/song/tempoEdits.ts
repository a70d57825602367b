import { tickOf, positionAt, type MeterChange, type MeterMap } from '../time/meter';
import { bpmAt, type TempoChange, type TempoMap } from '../time/tempo';
import type { Bpm, Ticks } from '../time/units';
import { BEAT_UNITS, FASTEST_BPM, MOST_BARS, MOST_BEATS, SLOWEST_BPM } from '../vocabulary/limits';
import type { Retiming } from './retime';

/** Change of tempo, meter or pick-up, before it is known what takes do. */
export type Edit = Omit<Retiming, 'takes'>;

const rounded = (bpm: Bpm): Bpm => Math.round(bpm * 10) / 10;

/** Tempo map with one tempo changed; null for an invalid tempo. */
export function withTempoSet(tempo: readonly TempoChange[], index: number, to: Partial<TempoChange>): Edit | null {
  if (to.bpm !== undefined && !(to.bpm >= SLOWEST_BPM && to.bpm <= FASTEST_BPM)) return null;
  return { tempo: tempo.map((change, i) => (i === index ? { ...change, ...to } : change)) };
}

/** Tempo map with a tempo at the beat of a place. @param bpm the tempo in force there, where it is not given */
export function withTempoAt(map: TempoMap, meter: MeterMap, place: Ticks, bpm?: Bpm): Edit {
  const { bar, beat } = positionAt(meter, place + 0.5);
  const tick = tickOf(meter, { bar, beat, tick: 0 });
  const change: TempoChange = { tick, bpm: bpm ?? rounded(bpmAt(map, tick)) };
  return { tempo: [...map.changes.filter((c) => c.tick !== tick), change].sort((a, b) => a.tick - b.tick) };
}

/** Meter from text such as "7/8"; null for other text. */
export function meterFromText(text: string): Pick<MeterChange, 'beats' | 'unit'> | null {
  const [, beats, unit] = /^\s*(\d{1,2})\s*\/\s*(\d{1,2})\s*$/.exec(text) ?? [];
  const meter = { beats: Number(beats), unit: Number(unit) };
  return meter.beats >= 1 && meter.beats <= MOST_BEATS && BEAT_UNITS.includes(meter.unit) ? meter : null;
}

/** Meters with one from a bar on, replacing one that begins there; null for an invalid bar or text. */
export function withMeterAt(meter: readonly MeterChange[], bar: number, text: string): Edit | null {
  const read = meterFromText(text);
  if (!read || !(bar >= 1 && bar <= MOST_BARS)) return null;
  return { meter: [...meter.filter((m) => m.bar !== bar), { bar, ...read }].sort((a, b) => a.bar - b.bar) };
}

/** Number of beats of a short first bar; 0 without one. */
export function pickUpOf([first, second]: readonly MeterChange[]): number {
  return first && second?.bar === 2 && first.beats < second.beats ? first.beats : 0;
}

/** Meters after a pick-up of some beats was put in front: later changes move by a bar. */
export function withPickUp(
  { meter, tempo, bars }: { meter: readonly MeterChange[]; tempo: readonly TempoChange[]; bars: number },
  beats: number,
): Edit | null {
  const before = pickUpOf(meter);
  const plain = before ? meter.slice(1).map((m) => ({ ...m, bar: m.bar - 1 })) : meter;
  const [first, ...later] = plain;
  if (!first || beats >= first.beats) return null;
  const moved = (beats - before) * ((4 * 960) / first.unit);
  const short = { bar: 1, beats, unit: first.unit };
  const after = [{ ...first, bar: 2 }, ...later.map((m) => ({ ...m, bar: m.bar + 1 }))];
  return {
    meter: beats === 0 ? [...plain] : [short, ...after],
    tempo: tempo.map((c) => (c.tick <= 0 ? c : { ...c, tick: c.tick + moved })),
    bars: bars + (beats && !before ? 1 : 0),
  };
}
