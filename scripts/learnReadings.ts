/**
 * Weights by which readings of a recording are told apart, learned from bands that play by rule and written to
 * `core/backing/readingWeights.json`. Takes half an hour or so, most of it for the bands to play.
 *
 * Usage: npx tsx scripts/learnReadings.ts [folder that keeps what was played]
 */
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import { areFirsts } from '../bench/beatMatch';
import { GROOVES, type Groove } from '../bench/grooves';
import { grooveSong, isBeat, pulsesOf, type GrooveSong } from '../bench/grooveSong';
import { loadInstrument, RATE } from '../bench/sound';
import { gridOf } from '../core/backing/grid';
import { factReader, STEPS } from '../core/backing/readingFacts';
import { BARS, beatsTried, FARTHEST, type Net } from '../core/backing/readings';
import { mixDown, spectrumOfMix, type Spectrum } from '../core/backing/spectrum';
import { seeded } from '../core/random';
import { bounce } from '../engine/instrument/instrument';

const SEEDS = [20, 21, 22, 23, 24, 25, 32, 33, 34, 35, 36, 37];
const UNITS = { beats: 12, bars: 8 };
const ROUNDS = 1500;
/** Share of a song's wrong readings that is learned from. */
const SHARE = 0.4;
const BATCH = 24;
const RATE_OF_CHANGE = 0.01;
/** Weight decay. */
const PULL = 0.02;

type Heard = Pick<GrooveSong, 'beats' | 'firsts'> & { readonly spectrum: Spectrum };
/** Facts of a reading's beats and bar, and whether it is right. */
interface Example {
  readonly beats: readonly Float32Array[];
  readonly bars: readonly {
    readonly of: number;
    readonly pulses: number;
    readonly facts: Float32Array;
    right: boolean;
  }[];
}

/** Song as played, mixed to mono, in 16 bits. */
interface Kept {
  readonly mix: { readonly samples: Int16Array; readonly rate: number };
  readonly beats: GrooveSong['beats'];
  readonly firsts: GrooveSong['firsts'];
}
const FULL = 32_767;

const instrument = await loadInstrument();
function played(groove: Groove, seed: number): Kept {
  const { channels, events, length, beats, firsts } = grooveSong(groove, seed);
  for (const [channel, setting] of channels) instrument.setChannel(channel, setting);
  instrument.panic();
  const { samples, rate } = mixDown(bounce(instrument, events, length, RATE), RATE);
  const whole = (v: number) => Math.max(-FULL, Math.min(FULL, Math.round(v * FULL)));
  return { mix: { samples: Int16Array.from(samples, whole), rate }, beats, firsts };
}
function heardOf(groove: Groove, seed: number, path: string | null): Heard {
  const has = path !== null && existsSync(path);
  const kept = has ? (deserialize(readFileSync(path)) as Kept) : played(groove, seed);
  if (path && !has) writeFileSync(path, serialize(kept));
  const { samples, rate } = kept.mix;
  return {
    spectrum: spectrumOfMix({ samples: Float32Array.from(samples, (v) => v / FULL), rate }),
    beats: kept.beats,
    firsts: kept.firsts,
  };
}

/** @returns undefined where no reading is right */
function exampleOf(groove: Groove, { spectrum, beats, firsts }: Heard, seed: number): Example | undefined {
  const thinned = seeded(seed);
  const grid = gridOf(spectrum);
  if (grid.times.length < 3) return undefined;
  const reader = factReader(spectrum, grid);
  const usual = (beats.at(-1)! - beats[0]!) / (beats.length - 1);
  const of: Float32Array[] = [];
  const bars: Example['bars'][number][] = [];
  for (const { length, from } of beatsTried(reader)) {
    const own = reader.beats(length, from);
    const times = Array.from({ length: own.count }, (_, i) => reader.timeAt(from + i * length));
    const near = Math.abs((reader.pulse * length) / STEPS / usual - 1) < 0.05;
    const level = near && isBeat(times, beats, reader.pulse / STEPS);
    // A share of the wrong readings suffices.
    if (!level && thinned.unit() > SHARE) continue;
    for (const pulses of BARS)
      for (let first = 0; first < pulses; first += 1) {
        const starts = times.filter((_, i) => i % pulses === first);
        const right = level && pulses === pulsesOf(groove) && areFirsts(starts, firsts);
        bars.push({ of: of.length, pulses, facts: reader.bars(own, pulses, first), right });
      }
    of.push(own.facts);
  }
  return bars.some((b) => b.right) ? { beats: of, bars } : undefined;
}

/** Network with its gradients. */
class Learner {
  readonly w: Float64Array;
  readonly #grad: Float64Array;
  readonly #first: Float64Array;
  readonly #second: Float64Array;
  readonly #hidden: Float64Array;
  constructor(
    readonly mean: Float64Array,
    readonly spread: Float64Array,
    readonly units: number,
    unit: () => number,
  ) {
    const size = (units + 1) * (mean.length + 1) + units;
    this.w = Float64Array.from({ length: size }, (_, i) => {
      if (i < units * (mean.length + 1)) return (1.6 * (unit() - 0.5)) / Math.sqrt(mean.length);
      return i < units * (mean.length + 2) ? (unit() - 0.5) / 2 : 0;
    });
    this.#grad = new Float64Array(size);
    this.#first = new Float64Array(size);
    this.#second = new Float64Array(size);
    this.#hidden = new Float64Array(units);
  }
  get #out(): number {
    return this.units * (this.mean.length + 1);
  }
  score(facts: Float32Array): number {
    const { w, units } = this;
    const n = facts.length;
    const straight = this.#out + units;
    let sum = w[straight + n]!;
    for (let j = 0; j < n; j += 1) sum += w[straight + j]! * facts[j]!;
    for (let k = 0; k < units; k += 1) {
      const at = k * (n + 1);
      let own = w[at + n]!;
      for (let j = 0; j < n; j += 1) own += w[at + j]! * facts[j]!;
      this.#hidden[k] = Math.tanh(own);
      sum += w[this.#out + k]! * this.#hidden[k]!;
    }
    return sum;
  }
  learn(facts: Float32Array, by: number): void {
    this.score(facts);
    const [grad, n] = [this.#grad, facts.length];
    const straight = this.#out + this.units;
    grad[straight + n]! += by;
    for (let j = 0; j < n; j += 1) grad[straight + j]! += by * facts[j]!;
    for (let k = 0; k < this.units; k += 1) {
      grad[this.#out + k]! += by * this.#hidden[k]!;
      const own = by * this.w[this.#out + k]! * (1 - this.#hidden[k]! ** 2);
      for (let j = 0; j < n; j += 1) grad[k * (n + 1) + j]! += own * facts[j]!;
      grad[k * (n + 1) + n]! += own;
    }
  }
  /** Optimizer step. D. Kingma and J. Ba, "Adam", ICLR 2015. */
  step(round: number, rate: number): void {
    for (let j = 0; j < this.w.length; j += 1) {
      const g = this.#grad[j]! / BATCH - PULL * this.w[j]!;
      this.#first[j] = 0.9 * this.#first[j]! + 0.1 * g;
      this.#second[j] = 0.999 * this.#second[j]! + 0.001 * g * g;
      const [m, v] = [this.#first[j]! / (1 - 0.9 ** round), this.#second[j]! / (1 - 0.999 ** round)];
      this.w[j]! += (rate * m) / (Math.sqrt(v) + 1e-8);
    }
    this.#grad.fill(0);
  }
  net(): Net {
    const n = this.mean.length;
    const short = (all: Float64Array) => [...all].map((v) => Number(v.toPrecision(4)));
    return {
      mean: short(this.mean),
      spread: short(this.spread),
      units: Array.from({ length: this.units }, (_, k) => short(this.w.subarray(k * (n + 1), (k + 1) * (n + 1)))),
      out: short(this.w.subarray(this.#out, this.#out + this.units)),
      straight: short(this.w.subarray(this.#out + this.units)),
    };
  }
}

function learnerFor(rows: readonly Float32Array[], units: number, unit: () => number): Learner {
  const size = rows[0]!.length;
  const mean = new Float64Array(size);
  const spread = new Float64Array(size);
  for (const row of rows) row.forEach((v, j) => (mean[j]! += v / rows.length));
  for (const row of rows) row.forEach((v, j) => (spread[j]! += (v - mean[j]!) ** 2 / rows.length));
  spread.forEach((v, j) => (spread[j] = Math.sqrt(v) + 1e-6));
  for (const row of rows)
    row.forEach((v, j) => (row[j] = Math.max(-FARTHEST, Math.min(FARTHEST, (v - mean[j]!) / spread[j]!))));
  return new Learner(mean, spread, units, unit);
}

const folder = process.argv[2] ?? null;
if (folder) mkdirSync(folder, { recursive: true });
const examples = SEEDS.flatMap((seed) =>
  GROOVES.flatMap((groove, g) => {
    if (groove.kept) return [];
    const path = folder && join(folder, `${groove.name.replaceAll(/\W+/g, '-')}-${seed}.bin`);
    return exampleOf(groove, heardOf(groove, seed * 1000 + g, path), seed * 1000 + g) ?? [];
  }),
);
const random = seeded(7);
const beats = learnerFor(
  examples.flatMap((e) => e.beats),
  UNITS.beats,
  random.unit,
);
const bars = new Map(
  BARS.map((p) => {
    const rows = examples.flatMap((e) => e.bars.flatMap((b) => (b.pulses === p ? [b.facts] : [])));
    return [p as number, learnerFor(rows, UNITS.bars, random.unit)];
  }),
);
for (let round = 1; round <= ROUNDS; round += 1) {
  let loss = 0;
  for (let i = 0; i < BATCH; i += 1) {
    const example = random.pick(examples);
    const own = example.beats.map((facts) => beats.score(facts));
    const scores = example.bars.map((b) => own[b.of]! + bars.get(b.pulses)!.score(b.facts));
    const most = scores.reduce((a, b) => Math.max(a, b), -Infinity);
    const worth = scores.map((s) => Math.exp(s - most));
    const all = worth.reduce((a, b) => a + b, 0);
    const right = worth.reduce((a, w, j) => a + (example.bars[j]!.right ? w : 0), 1e-300);
    loss += Math.log(all / right) / BATCH;
    const by = new Float64Array(own.length);
    example.bars.forEach((b, j) => {
      const g = (b.right ? worth[j]! / right : 0) - worth[j]! / all;
      if (Math.abs(g) < 1e-4) return;
      by[b.of]! += g;
      bars.get(b.pulses)!.learn(b.facts, g);
    });
    by.forEach((g, b) => Math.abs(g) >= 1e-4 && beats.learn(example.beats[b]!, g));
  }
  const rate = RATE_OF_CHANGE * (round > ROUNDS * 0.7 ? 0.3 : 1);
  for (const learner of [beats, ...bars.values()]) learner.step(round, rate);
  if (round % 50 === 0) console.log(`${round} of ${ROUNDS}: ${loss.toFixed(3)}`);
}
const nets = { beats: beats.net(), ...Object.fromEntries([...bars].map(([p, l]) => [p, l.net()])) };
writeFileSync('core/backing/readingWeights.json', `${JSON.stringify(nets)}\n`);
console.log(`Learned from ${examples.length} songs.`);
