import { tappedPulse } from '../time/tap';
import type { Seconds } from '../time/units';
import { barsOf, type FoundBars, type FoundMeter } from './bars';
import { beatsOf, type FoundBeat } from './beats';
import { pulseOf, type Pulse } from './pulse';
import { spectrumOf, type Spectrum } from './spectrum';

/** The beats of a recording, and which of them start bars. */
export interface FoundPulse {
  readonly beats: readonly FoundBeat[];
  readonly bars: FoundBars;
  readonly length: Seconds;
}

/** Statements of the player about the beats. The rest is fitted around it. */
export interface PulseEdits {
  /** 2 for twice as many beats, 0.5 for half. */
  readonly factor: number;
  /** Moments that are beats. */
  readonly pins: readonly Seconds[];
  /** Stretches that were tapped along to: the moments of the taps. */
  readonly taps: readonly (readonly Seconds[])[];
  /** Number of beats by which the bar's first is moved. */
  readonly shift: number;
  readonly meter: FoundMeter | null;
}

export const NO_EDITS: PulseEdits = { factor: 1, pins: [], taps: [], shift: 0, meter: null };

/** Distance of a stroke from a tap that speaks for it, at most. */
const TAP_REACH: Seconds = 0.09;
const TAP_WEIGHT = 4;
/** Pins this many pulses apart or nearer say how long the pulse between them is. */
const NEAR_PINS = 8;

/** Sets the pulse within a stretch. */
function setPulse(pulse: Pulse, from: Seconds, to: Seconds, period: Seconds): Pulse {
  return {
    ...pulse,
    periods: pulse.periods.map((p, i) =>
      i * pulse.every >= from - pulse.every && i * pulse.every <= to + pulse.every ? period : p,
    ),
  };
}

function editedPulse(spectrum: Spectrum, { factor, pins, taps }: PulseEdits): Pulse {
  const found = pulseOf(spectrum);
  let pulse: Pulse = { ...found, periods: found.periods.map((p) => p / factor) };
  const sorted = [...pins].sort((a, b) => a - b);
  sorted.slice(1).forEach((pin, i) => {
    const before = sorted[i]!;
    const usual = pulse.periods[Math.min(pulse.periods.length - 1, Math.round((before + pin) / 2 / pulse.every))]!;
    const count = Math.round((pin - before) / usual);
    if (count >= 1 && count <= NEAR_PINS) pulse = setPulse(pulse, before, pin, (pin - before) / count);
  });
  for (const run of taps) {
    const tapped = tappedPulse(run);
    if (tapped) pulse = setPulse(pulse, run[0]!, run.at(-1)!, tapped.period);
  }
  return pulse;
}

/** Strokes near a tap count for more; a tap with no stroke near it is one itself. */
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

/** Beats, meter and bar lines, around what the player says. */
export function fitPulse(spectrum: Spectrum, edits: PulseEdits): FoundPulse {
  const beats = beatsOf(spectrum, editedPulse(spectrum, edits), edits.pins, withTaps(spectrum, edits.taps));
  const found = barsOf(spectrum, beats, edits.meter ?? undefined);
  const { pulses } = found.meter;
  const first = (((found.first + edits.shift) % pulses) + pulses) % pulses;
  return { beats, bars: { ...found, first }, length: spectrum.length };
}

/**
 * Beats, meter and bar lines of a recording. Silence, or a sound without onsets, has none.
 * @param channels samples, -1 to 1, all of one length
 */
export const findPulse = (channels: readonly Float32Array[], sampleRate: number): FoundPulse =>
  fitPulse(spectrumOf(channels, sampleRate), NO_EDITS);
