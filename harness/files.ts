import { audioToWav } from 'spessasynth_core';
import { writeMidiFile } from '../core/files/smf';
import { seeded } from '../core/random';

const RATE = 44_100;

/** File as a client sends it. */
export interface SentFile {
  readonly name: string;
  readonly mimeType: string;
  readonly buffer: Buffer;
}

/** WAV with a click on each beat, and a low note that changes with each bar of four. */
export function wavOfBeats(
  name: string,
  beats: readonly number[],
  length: number,
  { rate = RATE, channels = 2 } = {},
): SentFile {
  const random = seeded(3);
  const samples = new Float32Array(Math.round(length * rate));
  beats.forEach((at, i) => {
    const first = i % 4 === 0;
    const hz = 55 * 2 ** ([0, 5, 7, 3][Math.floor(i / 4) % 4]! / 12);
    const from = Math.round(at * rate);
    for (let k = 0; k < rate / 3 && from + k < samples.length; k += 1) {
      const t = k / rate;
      samples[from + k]! +=
        0.25 * (random.unit() - 0.5) * Math.exp(-t / 0.02) +
        (first ? 0.4 : 0.15) * Math.sin(2 * Math.PI * hz * t) * Math.exp(-t / 0.25);
    }
  });
  return {
    name,
    mimeType: 'audio/wav',
    buffer: Buffer.from(
      audioToWav(
        Array.from({ length: channels }, () => samples),
        rate,
      ),
    ),
  };
}

/** WAV of one tone. */
export function wavOfTone(hz: number, length: number): SentFile {
  const samples = Float32Array.from(
    { length: Math.round(length * RATE) },
    (_, i) => 0.3 * Math.sin((2 * Math.PI * i * hz) / RATE),
  );
  return { name: 'tone.wav', mimeType: 'audio/wav', buffer: Buffer.from(audioToWav([samples], RATE)) };
}

/** WAV of chords of a second each, some cents off an A of 440 Hz. */
export function wavOfChords(name: string, cents: number, length: number): SentFile {
  const samples = Float32Array.from({ length: Math.round(length * RATE) }, (_, i) => {
    const root = 57 + [0, 5, 7, 3][Math.floor(i / RATE) % 4]!;
    const tone = (key: number) => Math.sin((2 * Math.PI * i * 440 * 2 ** ((key - 69 + cents / 100) / 12)) / RATE);
    return 0.1 * (tone(root) + tone(root + 4) + tone(root + 7));
  });
  return { name, mimeType: 'audio/wav', buffer: Buffer.from(audioToWav([samples], RATE)) };
}

export const steadyBeats = (bpm: number, count: number, from = 0): number[] =>
  Array.from({ length: count }, (_, i) => from + (i * 60) / bpm);

/** MIDI file with four bars of three, then fours, two tempos, two sections and two tracks. */
export const midiFile = (name: string): SentFile => ({
  name,
  mimeType: 'audio/midi',
  buffer: Buffer.from(
    writeMidiFile({
      title: 'Reed Lane',
      tempo: [
        { tick: 0, bpm: 90 },
        { tick: 4 * 2880, bpm: 120 },
      ],
      meter: [
        { bar: 1, beats: 3, unit: 4 },
        { bar: 5, beats: 4, unit: 4 },
      ],
      markers: [
        { tick: 0, text: 'Opening' },
        { tick: 4 * 2880, text: 'Refrain' },
      ],
      tracks: [
        {
          name: 'Bass',
          channel: 1,
          events: [
            { at: 0, message: { type: 'program', value: 33 } },
            { at: 0, message: { type: 'noteOn', key: 40, velocity: 90 } },
            { at: 900, message: { type: 'noteOff', key: 40, velocity: 64 } },
          ],
        },
        {
          name: 'Sticks',
          channel: 9,
          events: [
            { at: 0, message: { type: 'noteOn', key: 37, velocity: 90 } },
            { at: 100, message: { type: 'noteOff', key: 37, velocity: 64 } },
          ],
        },
      ],
      end: 4 * 2880 + 8 * 3840,
    }),
  ),
});

export const textFile = (name: string, text: string): SentFile => ({
  name,
  mimeType: 'text/plain',
  buffer: Buffer.from(text),
});
