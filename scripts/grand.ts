/**
 * Makes the grand's bank out of the recordings that its packages hold, unless it lies there already: seven strengths of
 * every third key, each from its onset, of one loudness, in a few seconds that end in a loop where the note rings for
 * longer. Its layers were chosen so that each sounds as different from the next: of the sixteen that were recorded, the
 * soft ones differ by more.
 *
 * Usage: npx tsx scripts/grand.ts
 */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  BasicInstrument,
  type BasicInstrumentZone,
  BasicPreset,
  BasicSample,
  BasicSoundBank,
  GeneratorTypes,
  Modulator,
  SampleTypes,
  SpessaLog,
} from 'spessasynth_core';
import { StbVorbis } from 'stb-vorbis';
import { createOggEncoder } from 'wasm-media-encoders';
import { faded, looped } from '../core/sampling/loop';
import { fromOnset, levelOf, smoothed, type Sides } from '../core/sampling/struckNote';
import { decibelsFromGain } from '../core/time/units';

const ROOT = fileURLToPath(new URL('..', import.meta.url));
const GRAND = join(ROOT, 'node_modules/.cache/grand/grand.sf3');

const LAYERS = [1, 2, 4, 7, 10, 13, 16];
const RATE = 48_000;
/** Every third key was recorded, from the lowest A to the highest C. */
const NAMES = ['C', 'D#', 'F#', 'A'];
const KEYS = Array.from({ length: 30 }, (_, i) => 21 + 3 * i);
const LOWEST = 21;
const HIGHEST = 108;
const nameOf = (key: number): string => `${NAMES[(key % 12) / 3]}${Math.floor(key / 12) - 1}`;

/** Seconds that are kept of a key, and how much of that is its loop; above the last of these it is heard to its end. */
const LENGTHS = [
  { to: 57, end: 4.6, loop: 1.6 },
  { to: 72, end: 4, loop: 1.2 },
  { to: 84, end: 2.8, loop: 0.8 },
];
const SHORT = { end: 2.2, fade: 0.8 };
/** Keys over which the loudness of the recorded ones is evened out. */
const EVENED_OVER = 7;
/** The loudest sample of what is stored. */
const PEAK = 0.9;
/** Quality of the encoder, of 10. */
const QUALITY = 6;

/** A velocity v is so many times log10(127 / v) decibels softer than the loudest; the format’s own curve has 40. */
const PER_DECADE = 30;
/** Source of the modulator that does so: the velocity, concave, from much to little. */
const FROM_VELOCITY = 0x0502;
/** Share of the attenuation that a zone states which players sound, as the first ones did. */
const HEARD_OF_ATTENUATION = 0.4;
/** Decibels at which a player takes a note for silent. */
const SILENT = 100;
/** Frames that are kept beyond a loop. */
const BEYOND = 16;

/** Highest key that has a damper. */
const HIGHEST_DAMPED = 88;
/** Seconds that a damper takes to silence the lowest string and the highest that has one, by 100 dB. */
const DAMPED = { lowest: 1.4, highest: 0.5 };
/** And that a string without one takes by itself. */
const UNDAMPED = 9;

interface Note {
  readonly key: number;
  readonly layer: number;
  /** Levels at which it was recorded, and is played of what is stored, in decibels. */
  readonly recorded: number;
  readonly stored: number;
  /** Decibels a second that its player takes away; 0 for one that dies away by itself. */
  readonly decay: number;
  /** Left and right. */
  readonly samples: readonly [BasicSample, BasicSample];
}

const encoder = await createOggEncoder();

function encoded(samples: Float32Array): Uint8Array {
  encoder.configure({ channels: 1, sampleRate: RATE, vbrQuality: QUALITY, oggSerialNo: 1 });
  const parts: Uint8Array[] = [];
  for (let at = 0; at < samples.length; at += RATE)
    parts.push(encoder.encode([samples.subarray(at, at + RATE)]).slice());
  parts.push(encoder.finalize().slice());
  return new Uint8Array(Buffer.concat(parts));
}

function makeNote(layer: number, key: number): Note {
  const path = join(ROOT, `node_modules/@audio-samples/piano-velocity${layer}/audio/${nameOf(key)}v${layer}.ogg`);
  const { channels, sampleRate } = StbVorbis.decode(readFileSync(path));
  const [left, right] = channels;
  if (!left || !right || sampleRate !== RATE) throw new Error(`${path} is not the recording that was expected.`);
  const sides = fromOnset([left, right], RATE);
  const length = LENGTHS.find(({ to }) => key <= to);
  const loop = length ? looped(sides, RATE, length.end, length.loop) : null;
  const kept: Sides = loop?.sides ?? faded(sides, RATE, SHORT.end, SHORT.fade);
  const gain = PEAK / Math.max(...kept.map((side) => side.reduce((most, x) => Math.max(most, Math.abs(x)), 0)));
  const samples: BasicSample[] = [];
  for (const [i, side] of kept.entries()) {
    const { from, to } = loop ?? { from: 0, to: 0 };
    const sample = new BasicSample(
      `${nameOf(key)} ${layer} ${'LR'[i]}`,
      RATE,
      key,
      0,
      SampleTypes.monoSample,
      from,
      to,
    );
    // Whatever plays a loop looks a few frames beyond its end.
    const whole = new Float32Array(side.length + (loop ? BEYOND : 0));
    whole.set(side);
    if (loop) whole.set(side.subarray(from, from + BEYOND), side.length);
    for (let at = 0; at < whole.length; at += 1) whole[at]! *= gain;
    sample.setCompressedData(encoded(whole));
    samples.push(sample);
  }
  const [one, other] = samples as [BasicSample, BasicSample];
  one.setLinkedSample(other, SampleTypes.leftSample);
  const recorded = levelOf(sides, RATE);
  const stored = recorded + decibelsFromGain(gain);
  return { key, layer, recorded, stored, decay: loop?.decay ?? 0, samples: [one, other] };
}

/** The velocities that each layer sounds for: between those at which it and its neighbours were struck. */
function velocities(levels: readonly number[]): { min: number; max: number }[] {
  const struckAt = levels.map((level) => 127 / 10 ** ((levels.at(-1)! - level) / PER_DECADE));
  const tops = struckAt.map((at, i) => Math.round(Math.sqrt(at * (struckAt[i + 1] ?? 127 ** 2 / at))));
  return tops.map((max, i) => ({ min: (tops[i - 1] ?? 0) + 1, max }));
}

const timecents = (seconds: number): number => Math.round(1200 * Math.log2(seconds));
const mean = (all: readonly number[]): number => all.reduce((sum, x) => sum + x, 0) / all.length;

function setEnvelope(zone: BasicInstrumentZone, key: number, { decay, key: recordedAt }: Note): void {
  if (decay > 0) {
    // What is played faster than it was recorded dies away faster.
    zone.setGenerator(GeneratorTypes.decayVolEnv, timecents(SILENT / decay / 2 ** ((key - recordedAt) / 12)));
    zone.setGenerator(GeneratorTypes.sustainVolEnv, SILENT * 10);
    zone.setGenerator(GeneratorTypes.sampleModes, 1);
  }
  const share = (key - LOWEST) / (HIGHEST_DAMPED - LOWEST);
  const damped = DAMPED.lowest * (DAMPED.highest / DAMPED.lowest) ** share;
  zone.setGenerator(GeneratorTypes.releaseVolEnv, timecents(key > HIGHEST_DAMPED ? UNDAMPED : damped));
}

/** Puts every key and layer in its place: as loud as its neighbours have it, and for its velocities. */
function setZones(instrument: BasicInstrument, notes: readonly Note[]): void {
  const ofLayer = (layer: number) => notes.filter((n) => n.layer === layer);
  const levels = LAYERS.map((layer) => mean(ofLayer(layer).map((n) => n.recorded)));
  const ranges = velocities(levels);
  const offsets = KEYS.map((key) =>
    mean(LAYERS.map((l, i) => ofLayer(l).find((n) => n.key === key)!.recorded - levels[i]!)),
  );
  const wanted = Array.from({ length: HIGHEST - LOWEST + 1 }, (_, i) =>
    smoothed(KEYS, offsets, EVENED_OVER, LOWEST + i),
  );
  const nearest = (key: number) => KEYS[Math.round((key - LOWEST) / 3)]!;
  const least = Math.min(...notes.map((n) => n.stored - wanted[n.key - LOWEST]!));
  for (const [i, layer] of LAYERS.entries()) {
    for (let key = LOWEST; key <= HIGHEST; key += 1) {
      const note = ofLayer(layer).find((n) => n.key === nearest(key))!;
      for (const [side, sample] of note.samples.entries()) {
        const zone = instrument.createZone(sample);
        zone.keyRange = { min: key === LOWEST ? 0 : key, max: key === HIGHEST ? 127 : key };
        zone.velRange = { ...ranges[i]! };
        zone.setGenerator(GeneratorTypes.pan, side === 0 ? -500 : 500);
        const over = note.stored - wanted[key - LOWEST]! - least;
        zone.setGenerator(
          GeneratorTypes.initialAttenuation,
          Math.max(0, Math.round((over * 10) / HEARD_OF_ATTENUATION)),
        );
        setEnvelope(zone, key, note);
      }
    }
  }
}

/** Makes the bank, and tells how far it is. */
async function makeGrand(told: (share: number) => void): Promise<Uint8Array> {
  SpessaLog.setLogLevel(false, false, false);
  await StbVorbis.ready;
  const bank = new BasicSoundBank('sf2');
  Object.assign(bank.soundBankInfo, { name: 'Full grand', version: { major: 3, minor: 0 } });
  const instrument = new BasicInstrument();
  instrument.name = 'Full grand';
  const velocity = Modulator.copyFrom(bank.defaultModulators[0]!);
  if (velocity.primarySource.toSourceEnum() !== FROM_VELOCITY)
    throw new Error('The format’s first modulator is not the velocity’s any more.');
  velocity.transformAmount = (960 * PER_DECADE) / 40;
  instrument.globalZone.addModulators(velocity);
  const notes: Note[] = [];
  for (const layer of LAYERS) {
    for (const key of KEYS) notes.push(makeNote(layer, key));
    told(notes.length / (LAYERS.length * KEYS.length));
  }
  setZones(instrument, notes);
  bank.addSamples(...notes.flatMap((n) => n.samples));
  bank.addInstruments(instrument);
  const preset = new BasicPreset(bank);
  preset.name = 'Full grand';
  preset.createZone(instrument);
  bank.addPresets(preset);
  return new Uint8Array(bank.writeSF2());
}

/** Sign of what a bank is made by: one of another making is made anew. */
function making(): string {
  const hash = createHash('sha256').update(readFileSync(fileURLToPath(import.meta.url)));
  const folder = join(ROOT, 'core/sampling');
  for (const name of readdirSync(folder).sort())
    if (!name.endsWith('.test.ts')) hash.update(readFileSync(join(folder, name)));
  return hash.digest('hex');
}

const marker = `${GRAND}.making`;
if (!existsSync(GRAND) || !existsSync(marker) || readFileSync(marker, 'utf8') !== making()) {
  console.log('Making the grand’s bank out of its recordings. That takes a minute or two, and is done once.');
  mkdirSync(dirname(GRAND), { recursive: true });
  const bytes = await makeGrand((share) => console.log(`  ${Math.round(share * 100)} %`));
  writeFileSync(`${GRAND}.new`, bytes);
  renameSync(`${GRAND}.new`, GRAND);
  writeFileSync(marker, making());
}
