import { seeded, type Seeded } from '../core/random';
import type { Seconds } from '../core/time/units';

/** Voices by the levels of their partials and their vibrato, all exactly in tune. */
interface Voice {
  readonly partials: readonly number[];
  /** Vibrato in cents, and its rate in hertz. */
  readonly vibrato: readonly [number, number];
  /** Decay time to a third in seconds; undefined for a held voice. */
  readonly falls: Seconds | null;
}
const VOICES: readonly Voice[] = [
  { partials: [1, 0.5, 0.33, 0.25, 0.2, 0.16], vibrato: [0, 0], falls: null },
  { partials: [1, 0, 0.3, 0, 0.15], vibrato: [4, 4], falls: null },
  { partials: [1, 0.7, 0.2, 0.1], vibrato: [0, 0], falls: 0.6 },
  { partials: [1, 0.4, 0.6, 0.2, 0.3], vibrato: [18, 5.5], falls: null },
  { partials: [1, 0.9, 0.8, 0.5, 0.4, 0.3, 0.2], vibrato: [9, 6.2], falls: 1.5 },
];
const SCALE = [0, 2, 4, 5, 7, 9, 11];

function voice(
  out: Float32Array,
  rate: number,
  own: Voice,
  key: number,
  from: Seconds,
  to: Seconds,
  level: number,
  cents: number,
) {
  const hz = 440 * 2 ** ((key - 69 + cents / 100) / 12);
  const [begin, end] = [Math.round(from * rate), Math.min(out.length, Math.round(to * rate))];
  const [depth, speed] = own.vibrato;
  let phase = 0;
  for (let i = begin; i < end; i += 1) {
    const t = (i - begin) / rate;
    const bent = depth === 0 ? hz : hz * 2 ** ((depth * Math.sin(2 * Math.PI * speed * t)) / 1200);
    phase += (2 * Math.PI * bent) / rate;
    const edge = Math.min(1, t * 100, ((end - i) / rate) * 60);
    const gain = level * edge * (own.falls ? Math.exp(-t / own.falls) : 1);
    let sum = 0;
    for (let p = 0; p < own.partials.length; p += 1)
      if ((p + 1) * hz < rate / 2) sum += own.partials[p]! * Math.sin((p + 1) * phase);
    out[i]! += gain * sum;
  }
}

function drum(out: Float32Array, rate: number, at: Seconds, kick: boolean, random: Seeded): void {
  const begin = Math.round(at * rate);
  let phase = 0;
  for (let i = begin; i < Math.min(out.length, begin + rate * 0.25); i += 1) {
    const t = (i - begin) / rate;
    // A kick sweeps through many keys, and a stick is noise.
    phase += (2 * Math.PI * (45 + 160 * Math.exp(-t * 25))) / rate;
    out[i]! += kick ? 0.5 * Math.exp(-t * 12) * Math.sin(phase) : 0.25 * Math.exp(-t * 30) * (2 * random.unit() - 1);
  }
}

/** A band by rule, with drums and a voice of noise, in a tuning of its own against an A of 440 Hz. */
export function tunedBand(seed: number, cents: number, rate = 22_050, length: Seconds = 30): Float32Array {
  const random = seeded(seed);
  const out = new Float32Array(rate * length);
  const root = 36 + Math.floor(12 * random.unit());
  const beat = 60 / (70 + 90 * random.unit());
  const pick = (): Voice => VOICES[Math.floor(VOICES.length * random.unit())]!;
  const [bass, chords, lead] = [pick(), pick(), pick()];
  const key = (degree: number, octave: number) => root + 12 * octave + 12 * Math.floor(degree / 7) + SCALE[degree % 7]!;
  for (let at = 0, bar = 0; at < length; at += 4 * beat, bar += 1) {
    const degree = Math.floor(7 * random.unit());
    for (let b = 0; b < 4; b += 1) {
      voice(out, rate, bass, key(degree, 0), at + b * beat, at + (b + 0.9) * beat, 0.12, cents);
      if (random.unit() < 0.7)
        voice(
          out,
          rate,
          lead,
          key(degree + Math.floor(5 * random.unit()), 3),
          at + b * beat,
          at + (b + 0.8) * beat,
          0.08,
          cents,
        );
      drum(out, rate, at + b * beat, b % 2 === 0, random);
    }
    for (const third of [0, 2, 4]) voice(out, rate, chords, key(degree + third, 2), at, at + 3.8 * beat, 0.06, cents);
  }
  const hiss = 0.003 + 0.03 * random.unit();
  for (let i = 0; i < out.length; i += 1) out[i]! += hiss * (2 * random.unit() - 1);
  return out;
}
