/** The process in which `scripts/grand.ts` has the notes of one strength made, whose number it is given. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { StbVorbis } from 'stb-vorbis';
import { createOggEncoder } from 'wasm-media-encoders';
import { faded, looped } from '../core/sampling/loop';
import { fromOnset, levelOf, type Sides } from '../core/sampling/struckNote';
import { decibelsFromGain, type Frames } from '../core/time/units';

const RECORDINGS = fileURLToPath(new URL('../node_modules/@audio-samples', import.meta.url));
const RATE = 48_000;
/** Recorded keys: every third, from the lowest A to the highest C. */
const NAMES = ['C', 'D#', 'F#', 'A'];
const KEYS = Array.from({ length: 30 }, (_, i) => 21 + 3 * i);

/**
 * Seconds that are kept of a key, and how much of them is its loop; keys above the last entry are kept to their end.
 */
const LENGTHS = [
  { to: 57, end: 4.6, loop: 1.6 },
  { to: 72, end: 4, loop: 1.2 },
  { to: 84, end: 2.8, loop: 0.8 },
];
const SHORT = { end: 2.2, fade: 0.8 };
/** Peak of what is stored. */
const PEAK = 0.9;
/** Quality of the encoder, of 10. */
const QUALITY = 6;
/** Number of frames kept after a loop. */
const BEYOND = 16;

/** Stored note of the grand. */
export interface MadeNote {
  readonly name: string;
  readonly key: number;
  readonly layer: number;
  readonly rate: number;
  /** Levels in decibels: as recorded, and of what is stored. */
  readonly recorded: number;
  readonly stored: number;
  /** Decay in decibels a second that its player applies; 0 for a note without a loop. */
  readonly decay: number;
  readonly loop: { readonly from: Frames; readonly to: Frames };
  /** Left and right side, as Ogg Vorbis. */
  readonly sides: readonly Uint8Array[];
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

function makeNote(layer: number, key: number): MadeNote {
  const name = `${NAMES[(key % 12) / 3]}${Math.floor(key / 12) - 1}`;
  const path = join(RECORDINGS, `piano-velocity${layer}/audio/${name}v${layer}.ogg`);
  const { channels, sampleRate } = StbVorbis.decode(readFileSync(path));
  const [left, right] = channels;
  if (!left || !right || sampleRate !== RATE) throw new Error(`${path} is not the recording that was expected.`);
  const whole = fromOnset([left, right], RATE);
  const length = LENGTHS.find(({ to }) => key <= to);
  const loop = length ? looped(whole, RATE, length.end, length.loop) : null;
  const kept: Sides = loop?.sides ?? faded(whole, RATE, SHORT.end, SHORT.fade);
  const gain = PEAK / Math.max(...kept.map((side) => side.reduce((most, x) => Math.max(most, Math.abs(x)), 0)));
  const sides = kept.map((side) => {
    // Players read a few frames beyond a loop's end.
    const out = new Float32Array(side.length + (loop ? BEYOND : 0));
    out.set(side);
    if (loop) out.set(side.subarray(loop.from, loop.from + BEYOND), side.length);
    for (let at = 0; at < out.length; at += 1) out[at]! *= gain;
    return encoded(out);
  });
  const recorded = levelOf(whole, RATE);
  const { from, to, decay } = loop ?? { from: 0, to: 0, decay: 0 };
  const facts = { name: `${name} ${layer}`, key, layer, rate: RATE };
  return { ...facts, recorded, stored: recorded + decibelsFromGain(gain), decay, loop: { from, to }, sides };
}

await StbVorbis.ready;
process.send!(KEYS.map((key) => makeNote(Number(process.argv[2]), key)));
