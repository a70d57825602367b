import type { Seconds } from '../time/units';
import { periodAt, type Pulse } from './pulse';
import type { Spectrum } from './spectrum';

/** Penalty for an interval that differs from the pulse, against onsets in standard deviations. */
const TIGHTNESS = 90;
/** Largest ratio between an interval and the pulse. */
const REACH = 1.6;
/** Largest distance between a beat and the onset that it is moved to. */
const NEAR: Seconds = 0.045;
/** Share of its rise at which an onset is placed. */
const RISEN = 0.15;

export interface FoundBeat {
  /** Time on the file's clock. */
  readonly at: Seconds;
  /** Confidence: 0 for an interpolated beat, 1 for a plain stroke exactly on the pulse. */
  readonly sure: number;
  /** True for a beat that the player pinned. */
  readonly pinned?: boolean;
}

/**
 * Beats by dynamic programming: the way through the onsets that meets the most of them while keeping near the pulse.
 * D. Ellis, "Beat tracking by dynamic programming", Journal of New Music Research 36(1), 2007, here with a pulse that
 * moves, and through every pin.
 * @param pins frames that are beats because the player says so, rising
 * @returns frame numbers of the envelope
 */
function trackFrames(strength: Float32Array, rate: number, pulse: Pulse, pins: readonly number[]): number[] {
  const size = strength.length;
  const score = new Float64Array(size);
  const back = new Int32Array(size).fill(-1);
  let passed = 0;
  for (let i = 0; i < size; i += 1) {
    const period = periodAt(pulse, i / rate) * rate;
    const pinned = pins[passed] === i;
    const lastPin = passed > 0 ? pins[passed - 1]! : -1;
    // No path skips a pin, and none begins after one.
    let most = lastPin < 0 ? 0 : -Infinity;
    let best = -1;
    const nearest = Math.max(0, Math.round(i - period / REACH));
    for (let j = Math.max(0, lastPin, Math.round(i - period * REACH)); j <= nearest && j < i; j += 1) {
      const off = Math.log((i - j) / period);
      const s = score[j]! - TIGHTNESS * off * off;
      if (s > most) {
        most = s;
        best = j;
      }
    }
    if (pinned && best < 0 && lastPin >= 0) {
      best = lastPin;
      most = score[lastPin]!;
    }
    score[i] = Math.min(5, strength[i]!) + most;
    back[i] = best;
    if (pinned) passed += 1;
  }
  // The last beat has the best score within the last pulse, or is the last pin.
  const lastPeriod = Math.round(periodAt(pulse, size / rate) * rate);
  const latest = pins.at(-1) ?? 0;
  let end = Math.max(0, size - 1);
  for (let i = Math.max(latest, size - lastPeriod, 0); i < size; i += 1) if (score[i]! > score[end]!) end = i;
  if (!Number.isFinite(score[end] ?? 0)) end = latest;
  const frames: number[] = [];
  for (let i = end; i >= 0 && size > 0; i = back[i]!) frames.push(i);
  return frames.reverse();
}

/** Onset near a frame: its peak between frames, and its height. */
function peakNear(strength: Float32Array, frame: number, reach: number): { frame: number; height: number } {
  let top = -1;
  let best = 0;
  for (let i = Math.max(1, frame - reach); i <= Math.min(strength.length - 2, frame + reach); i += 1) {
    const value = strength[i]! * (1 - 0.5 * (Math.abs(i - frame) / (reach + 1)));
    if (value > best && strength[i]! >= strength[i - 1]! && strength[i]! >= strength[i + 1]!) {
      best = value;
      top = i;
    }
  }
  if (top < 0) return { frame, height: 0 };
  // Struck sounds rise at once and bowed ones slowly, so a share of the rise is more exact than the peak.
  const height = strength[top]!;
  let foot = top;
  while (foot > 0 && strength[foot - 1]! >= RISEN * height && strength[foot - 1]! < strength[foot]! + 0.1 * height)
    foot -= 1;
  const below = foot > 0 ? strength[foot - 1]! : 0;
  const part = strength[foot]! > below ? (RISEN * height - below) / (strength[foot]! - below) : 0;
  return { frame: foot - 1 + Math.max(0, Math.min(1, part)), height };
}

/** Solves the weighted least squares of a parabola at x = 0, falling back to a line and a mean. */
function smoothAt(points: readonly { x: number; y: number; w: number }[]): number {
  const s = new Array<number>(5).fill(0);
  const t = new Array<number>(3).fill(0);
  for (const { x, y, w } of points) {
    for (let p = 0; p < 5; p += 1) s[p]! += w * x ** p;
    for (let p = 0; p < 3; p += 1) t[p]! += w * y * x ** p;
  }
  const [s0, s1, s2, s3, s4] = s as [number, number, number, number, number];
  const [t0, t1, t2] = t as [number, number, number];
  const det = s0 * (s2 * s4 - s3 * s3) - s1 * (s1 * s4 - s2 * s3) + s2 * (s1 * s3 - s2 * s2);
  if (Math.abs(det) > 1e-9 * Math.max(1, s0 * s2 * s4)) {
    return (t0 * (s2 * s4 - s3 * s3) - s1 * (t1 * s4 - s3 * t2) + s2 * (t1 * s3 - s2 * t2)) / det;
  }
  const line = s0 * s2 - s1 * s1;
  return Math.abs(line) > 1e-12 ? (t0 * s2 - s1 * t1) / line : t0 / s0;
}

/** Confidence below which a beat at either end counts as silence. */
const LEAST_SURE = 0.15;
const AROUND = 4;
/** Weight of a pin, above that of any onset. */
const PIN_WEIGHT = 4;

/** Smooths the beats: each is the value of a parabola through its neighbours, weighted by confidence. */
function smoothBeats(found: readonly FoundBeat[]): FoundBeat[] {
  return found.map((beat, i) => {
    let points: { x: number; y: number; w: number }[] = [];
    for (let j = Math.max(0, i - AROUND); j <= Math.min(found.length - 1, i + AROUND); j += 1) {
      const near = 1 - ((j - i) / (AROUND + 1)) ** 2;
      points.push({ x: j - i, y: found[j]!.at, w: near * (found[j]!.pinned ? PIN_WEIGHT : 0.03 + found[j]!.sure) });
    }
    if (points.length < 4 || beat.pinned) return beat;
    // Repeated without outliers, such as a neighbour on the wrong onset.
    const first = smoothAt(points);
    const slope =
      (found[Math.min(found.length - 1, i + 1)]!.at - found[Math.max(0, i - 1)]!.at) /
      (Math.min(found.length - 1, i + 1) - Math.max(0, i - 1));
    points = points.map((p) => ({ ...p, w: p.w / (1 + ((p.y - first - p.x * slope) / 0.02) ** 2) }));
    return { ...beat, at: smoothAt(points) };
  });
}

/**
 * Beats of a recording in order, on the file's clock.
 * @param pins moments that are beats, exactly
 * @param guide onsets with other evidence for beats, for the path; beats are placed on the onsets themselves
 */
export function beatsOf(
  spectrum: Spectrum,
  pulse: Pulse,
  pins: readonly Seconds[] = [],
  guide = spectrum.strength,
): FoundBeat[] {
  const { rate, strength, start } = spectrum;
  const frameOf = (at: Seconds) => Math.max(0, Math.min(strength.length - 1, Math.round((at - start) * rate)));
  const pinAt = new Map(pins.map((at) => [frameOf(at), at]));
  const frames = trackFrames(
    guide,
    rate,
    pulse,
    [...pinAt.keys()].sort((a, b) => a - b),
  );
  const raw = frames.map((frame): FoundBeat => {
    const pin = pinAt.get(frame);
    return pin === undefined ? strokeNear(spectrum, frame / rate + start) : { at: pin, sure: 1, pinned: true };
  });
  const heard = sounding(raw);
  return heard.length > 0 ? inOrder(smoothBeats(heard)) : [];
}

/** Stroke nearest to a moment; without one, the moment itself with confidence 0. */
export function strokeNear({ strength, rate, start }: Spectrum, at: Seconds): FoundBeat {
  const frame = Math.round((at - start) * rate);
  const peak = peakNear(strength, frame, Math.round(NEAR * rate));
  return peak.height > 0 ? { at: peak.frame / rate + start, sure: Math.min(1, peak.height / 3) } : { at, sure: 0 };
}

/** Beats without those in silence before the first stroke and after the last. */
export function sounding(beats: readonly FoundBeat[]): FoundBeat[] {
  const first = beats.findIndex((b) => b.sure > LEAST_SURE);
  const last = beats.findLastIndex((b) => b.sure > LEAST_SURE);
  return first < 0 ? [] : beats.slice(first, last + 1);
}

/** Beats near given times, placed on the strokes beside them. */
export const onStrokes = (spectrum: Spectrum, times: readonly Seconds[]): FoundBeat[] =>
  inOrder(smoothBeats(sounding(times.map((at) => strokeNear(spectrum, at)))));

/** Smoothing near a pin can push one beat past another: such beats are put between their neighbours. */
function inOrder(beats: readonly FoundBeat[]): FoundBeat[] {
  const out: FoundBeat[] = [];
  beats.forEach((beat, i) => {
    const before = out.at(-1)?.at ?? -Infinity;
    const next = beats[i + 1]?.at ?? Infinity;
    if (beat.at > before + 0.01 || beat.pinned) out.push(beat);
    else if (next > before + 0.02) out.push({ ...beat, at: (before + next) / 2, sure: 0 });
  });
  return out;
}
