import { tappedPulse } from '../time/tap';
import type { Seconds } from '../time/units';
import { meterOf, type FoundBars, type FoundMeter } from './bars';
import { beatsOf, onStrokes, sounding, strokeNear, type FoundBeat } from './beats';
import { gridOf, type Grid } from './grid';
import { pulseOf, type Pulse } from './pulse';
import { factReader, STEPS, type FactReader } from './readingFacts';
import { barOf, beatScore, LENGTHS, readingsOf, type Reading } from './readings';
import { spectrumOf, type Spectrum } from './spectrum';

/** Reading of a recording's beats, as it is offered. */
export interface Offered {
  readonly period: Seconds;
  readonly meter: FoundMeter;
  /** True for beats halfway between those of a likelier reading of the same length. */
  readonly between: boolean;
  /** Probability among all readings, 0 to 1. */
  readonly share: number;
}

/** Beats of a recording, and which of them begin bars. */
export interface FoundPulse {
  readonly beats: readonly FoundBeat[];
  readonly bars: FoundBars;
  readonly length: Seconds;
  /** True where one tempo holds throughout, and every beat is on it. */
  readonly steady: boolean;
  /** Readings, the likeliest first. */
  readonly readings: readonly Offered[];
}

/** Corrections by the player. The rest is fitted to them. */
export interface PulseEdits {
  /** Tempo that was told or typed, in beats a minute, of which only the phase is found; null without one. */
  readonly bpm: number | null;
  /** Index of the selected reading. */
  readonly reading: number;
  /** Factor on the number of beats: 2 double, 0.5 half, 1.5 three in the time of two. */
  readonly factor: number;
  /** Half beats by which all beats are moved. */
  readonly halves: number;
  /** Moments at which the player put beats. */
  readonly pins: readonly Seconds[];
  /** Times of taps, in runs. */
  readonly taps: readonly (readonly Seconds[])[];
  /** Number of beats by which the bar's first is moved. */
  readonly shift: number;
  readonly meter: FoundMeter | null;
}

export const NO_EDITS: PulseEdits = {
  bpm: null,
  reading: 0,
  factor: 1,
  halves: 0,
  pins: [],
  taps: [],
  shift: 0,
  meter: null,
};

/** Analysis of a recording, kept for fitting with other corrections. */
export interface Heard {
  readonly spectrum: Spectrum;
  readonly grid: Grid;
  /** Grid of the recording; undefined where there is too little to find one. */
  readonly readings: readonly Reading[];
  readonly reader: FactReader | null;
  readonly offered: readonly Offered[];
}

/** Largest distance between a tap and the stroke that it confirms. */
const TAP_REACH: Seconds = 0.09;
const TAP_WEIGHT = 4;
/** Most pulses between two pins that tell the pulse's length there. */
const NEAR_PINS = 8;

/** Finds the grid of a recording and its likeliest readings. */
export function hear(spectrum: Spectrum): Heard {
  const grid = gridOf(spectrum);
  const found = readingsOf(spectrum, grid);
  const { readings, reader } = found ?? { readings: [], reader: null };
  const offered = readings.map(({ length, from, pulses, share }, i) => ({
    period: (reader!.pulse * length) / STEPS,
    meter: meterOf(spectrum, onGrid(spectrum, grid, reader!, { length, from }), pulses),
    between: readings.slice(0, i).some((other) => other.length === length),
    share,
  }));
  return { spectrum, grid, readings, reader, offered };
}

/** Beats on a grid: exactly periodic with one tempo, otherwise moved to the strokes near them. */
function onGrid(spectrum: Spectrum, grid: Grid, reader: FactReader, { length, from }: Placed): FoundBeat[] {
  const count = Math.floor((reader.steps - from) / length) + 1;
  const times = Array.from({ length: count }, (_, i) => reader.timeAt(from + i * length));
  if (!grid.steady) return onStrokes(spectrum, times);
  // All strokes together give the phase.
  const near = times.map((at) => strokeNear(spectrum, at));
  const off = near.flatMap(({ at, sure }, i) => (sure > 0 ? [at - times[i]!] : [])).sort((a, b) => a - b);
  const by = off[off.length >> 1] ?? 0;
  return sounding(times.map((at, i) => ({ at: at + by, sure: near[i]!.sure })));
}

/** Length and start of beats in steps of the grid, possibly fractional. */
interface Placed {
  readonly length: number;
  readonly from: number;
}

/** Standard deviations of a tap and of a pin from their beats. */
const TAPPED: Seconds = 0.03;
const PINNED: Seconds = 0.02;
/** Largest difference of log tempo at which beats count as those of the told tempo. */
export const TOLD_WITHIN = 0.03;
/** Largest error against taps and pins at which beats of one tempo are accepted. */
const FARTHEST: Seconds = 0.06;

/**
 * The beats of one tempo that agree best with what the player says: taps and near pins say how long a beat is, all of
 * them where it lies, and the recording decides between what is left.
 * @param told length of a beat by the tempo that was told
 * @returns undefined where no beats of one tempo agree
 */
function believed(
  reader: FactReader,
  { length }: Placed,
  { pins, taps }: Pick<PulseEdits, 'pins' | 'taps'>,
  told?: Seconds,
): Placed | undefined {
  const step = reader.pulse / STEPS;
  const said: { at: Seconds; spread: Seconds }[] = pins.map((at) => ({ at, spread: PINNED }));
  let period = told;
  for (const run of taps) {
    const tapped = tappedPulse(run);
    if (!tapped) continue;
    period = tapped.period;
    said.push(...tapped.taps.map(({ at }) => ({ at, spread: TAPPED })));
  }
  period = betweenPins(pins, () => length * step).at(-1)?.period ?? period;
  const off = (many: number): number => Math.abs(Math.log((many * step) / (period ?? length * step)));
  const wide = Math.max(TOLD_WITHIN, (2 * TAPPED) / (period ?? 1));
  const nearest = [...new Set<number>([...LENGTHS, length])].reduce((a, b) => (off(b) < off(a) ? b : a));
  if (told !== undefined && off(nearest) > TOLD_WITHIN) return undefined;
  // The grid may count in another unit than the beat, as five in the time of four. A hand that taps along is believed.
  const lengths =
    told !== undefined || off(nearest) <= wide
      ? [nearest]
      : Array.from({ length: LENGTHS.at(-1)! }, (_, i) => i + 1).filter((many) => off(many) <= wide);
  const ways = lengths
    .flatMap((own) =>
      Array.from({ length: Math.ceil(own) }, (_, from) => {
        const misses = said.map(({ at, spread }) => {
          const beats = (stepAt(reader, at) - from) / own;
          return { by: Math.abs(beats - Math.round(beats)) * own * step, spread };
        });
        const cost = misses.reduce((sum, { by, spread }) => sum + (by / spread) ** 2, 0) / Math.max(1, misses.length);
        const beats = reader.beats(own, from);
        const score = beatScore(beats) + barOf(reader, beats).score - 2 * cost;
        return { length: own, from, far: Math.max(...misses.map((m) => m.by)), score };
      }),
    )
    .filter(({ far }) => far <= Math.max(FARTHEST, step));
  if (ways.length === 0) return undefined;
  const best = ways.reduce((a, b) => (b.score > a.score ? b : a));
  return { length: best.length, from: best.from };
}

/** Step at a moment of a periodic grid. */
const stepAt = ({ timeAt, pulse }: FactReader, at: Seconds): number => ((at - timeAt(0)) / pulse) * STEPS;

/** Pulse lengths between neighbouring pins. @param usual pulse at a moment, which counts the beats between */
function betweenPins(
  pins: readonly Seconds[],
  usual: (at: Seconds) => Seconds,
): { from: Seconds; to: Seconds; period: Seconds }[] {
  const sorted = [...pins].sort((a, b) => a - b);
  return sorted.slice(1).flatMap((to, i) => {
    const from = sorted[i]!;
    const count = Math.round((to - from) / usual((from + to) / 2));
    return count >= 1 && count <= NEAR_PINS ? [{ from, to, period: (to - from) / count }] : [];
  });
}

/** Sets the pulse within a range. */
function setPulse(pulse: Pulse, from: Seconds, to: Seconds, period: Seconds): Pulse {
  return {
    ...pulse,
    periods: pulse.periods.map((p, i) =>
      i * pulse.every >= from - pulse.every && i * pulse.every <= to + pulse.every ? period : p,
    ),
  };
}

function editedPulse(pulse: Pulse, { pins, taps }: PulseEdits): Pulse {
  const usual = (at: Seconds) => pulse.periods[Math.min(pulse.periods.length - 1, Math.round(at / pulse.every))]!;
  for (const { from, to, period } of betweenPins(pins, usual)) pulse = setPulse(pulse, from, to, period);
  for (const run of taps) {
    const tapped = tappedPulse(run);
    if (tapped) pulse = setPulse(pulse, run[0]!, run.at(-1)!, tapped.period);
  }
  return pulse;
}

/** Strokes near taps weigh more; a tap without a stroke counts as one. */
function withTaps(spectrum: Spectrum, taps: PulseEdits['taps']): Float32Array {
  if (taps.length === 0) return spectrum.strength;
  const strength = spectrum.strength.slice();
  const reach = TAP_REACH * spectrum.rate;
  for (const { beat, at } of taps.flatMap((run) => tappedPulse(run)?.taps ?? [])) {
    const middle = (at - spectrum.start) * spectrum.rate;
    for (
      let i = Math.max(0, Math.ceil(middle - reach));
      i <= Math.min(strength.length - 1, middle + reach) && beat >= 0;
      i += 1
    ) {
      const near = 1 - Math.abs(i - middle) / reach;
      strength[i]! += near * (Math.min(TAP_WEIGHT, 2 * spectrum.strength[i]!) + 1);
    }
  }
  return strength;
}

/** Pulse of some beats at each moment. */
function pulseThrough(beats: readonly FoundBeat[], length: Seconds): Pulse {
  let i = 0;
  const periods = Array.from({ length: Math.max(1, Math.ceil(length)) }, (_, at) => {
    while (i + 2 < beats.length && beats[i + 1]!.at < at) i += 1;
    return beats[i + 1]!.at - beats[i]!.at;
  });
  return { every: 1, periods };
}

function beatsFor(heard: Heard, edits: PulseEdits): { beats: readonly FoundBeat[]; steady: boolean; asFound: boolean } {
  const { spectrum, grid, readings, reader } = heard;
  const reading = readings[Math.min(edits.reading, readings.length - 1)];
  const isSaid = edits.pins.length + edits.taps.length > 0;
  const follow = (pulse: Pulse) =>
    beatsOf(spectrum, editedPulse(pulse, edits), edits.pins, withTaps(spectrum, edits.taps));
  if (!reading || !reader) {
    const pulse = pulseOf(spectrum);
    const periods = pulse.periods.map((p) => p / edits.factor);
    return { beats: follow({ ...pulse, periods }), steady: false, asFound: false };
  }
  const told = edits.bpm === null ? undefined : believed(reader, reading, { pins: [], taps: [] }, 60 / edits.bpm);
  const base = told ?? reading;
  const length = base.length / edits.factor;
  const from = (base.from + (edits.halves * length) / 2) % length;
  const placed = { length, from: from < 0 ? from + length : from };
  if (!isSaid) {
    const asFound = !told && edits.factor === 1 && edits.halves === 0;
    return { beats: onGrid(spectrum, grid, reader, placed), steady: grid.steady, asFound };
  }
  const meant = grid.steady ? believed(reader, placed, edits) : undefined;
  if (meant) {
    const beats = onGrid(spectrum, grid, reader, meant);
    const near = (at: Seconds) =>
      beats.reduce((a, b, i) => (Math.abs(b.at - at) < Math.abs(beats[a]!.at - at) ? i : a), 0);
    const pinned = new Map(edits.pins.map((at) => [near(at), at]));
    const put = beats.map((beat, i): FoundBeat => {
      const at = pinned.get(i);
      return at === undefined ? beat : { at, sure: 1, pinned: true };
    });
    // Pins ahead of the first stroke, or two at one beat, are not handled here.
    const held = put.every((b, i) => i === 0 || b.at > put[i - 1]!.at);
    if (held && pinned.size === edits.pins.length && edits.pins.every((at) => put.some((b) => b.at === at)))
      return { beats: put, steady: true, asFound: false };
  }
  const beats = onGrid(spectrum, grid, reader, placed);
  if (beats.length < 2) return { beats: follow(pulseOf(spectrum)), steady: false, asFound: false };
  return { beats: follow(pulseThrough(beats, spectrum.length)), steady: false, asFound: false };
}

/** Beats, meter and bar lines that fit the player's corrections. */
export function fitPulse(heard: Heard, edits: PulseEdits): FoundPulse {
  const { spectrum, readings, offered } = heard;
  const { beats, steady, asFound } = beatsFor(heard, edits);
  const rest = { beats, steady, readings: offered, length: spectrum.length };
  const four: FoundMeter = { pulses: 4, beats: 4, unit: 4 };
  if (beats.length < 3) return { ...rest, bars: { meter: edits.meter ?? four, first: 0, sure: 0 } };
  // The beats themselves are the grid on which bars are looked for.
  const reader = factReader(spectrum, { times: beats.map((b) => b.at), steady });
  const known = edits.meter?.pulses ?? (asFound ? readings[edits.reading]?.pulses : undefined);
  const { pulses, first, share } = barOf(reader, reader.beats(STEPS, 0), known);
  const moved = (((first + edits.shift) % pulses) + pulses) % pulses;
  const meter = edits.meter ?? meterOf(spectrum, beats, pulses);
  return { ...rest, bars: { meter, first: moved, sure: share } };
}

/**
 * Beats, meter and bar lines of a recording; silence, or sound without onsets, has none.
 * @param channels samples, -1 to 1, all of one length
 */
export const findPulse = (channels: readonly Float32Array[], sampleRate: number): FoundPulse =>
  fitPulse(hear(spectrumOf(channels, sampleRate)), NO_EDITS);
