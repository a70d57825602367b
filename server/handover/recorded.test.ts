import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { wavHeader, type WavFacts } from '../../core/files/wav';
import { mixTo } from './recorded';
import type { RecordedPiece, RecordedTask } from './task';

let folder: string;
const RATE = 48_000;
const FRAMES = 3 * RATE;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-recorded-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A recording's file: each frame says which one it is. */
function recording(
  name: string,
  value: (frame: number) => number,
  channels = 1,
  rate = RATE,
): Omit<RecordedPiece, 'from' | 'to' | 'into'> {
  const samples = Float32Array.from({ length: FRAMES * channels }, (_, i) => {
    const sample = value(Math.floor(i / channels));
    return i % channels ? -sample : sample;
  });
  const path = join(folder, name);
  writeFileSync(path, Buffer.concat([Buffer.alloc(100), Buffer.from(samples.buffer)]));
  return { path, data: 100, rate, channels, length: FRAMES, semitones: 0 };
}

const FACTS: WavFacts = {
  ...{ channels: 2, rate: RATE, format: '32-bit float', description: '', at: '2026-01-01T00:00:00', reference: 0 },
  markers: [],
};
async function mixed(
  pieces: readonly RecordedPiece[],
  over: Partial<RecordedTask> = {},
): Promise<{ sides: [Float32Array, Float32Array]; frames: number; peak: number }> {
  const path = join(folder, 'out.wav');
  const task: RecordedTask = {
    type: 'recorded',
    path,
    facts: FACTS,
    pieces,
    gain: 1,
    frames: RATE,
    most: RATE,
    ...over,
  };
  let told = 0;
  const { frames, levels } = await mixTo(task, (more) => {
    told += more;
  });
  const bytes = readFileSync(path);
  const all = new Float32Array(Uint8Array.from(bytes.subarray(wavHeader(task.facts, 0).length)).buffer);
  expect(told).toBe(all.length / 2);
  const side = (c: number) => all.filter((_, i) => i % 2 === c);
  return { sides: [side(0), side(1)], frames, peak: levels.peak };
}
const ramp = (frame: number): number => (frame % 1000) / 2000;

describe('recorded sound', () => {
  it('lies in its file frame for frame where it lies in the song, mono on both sides alike', async () => {
    const made = recording('mono', ramp);
    const { sides, frames } = await mixed([{ ...made, from: 0.25, to: 0.75, into: 1 }]);
    expect(frames).toBe(RATE);
    // It comes in ahead of its start, and goes before its end.
    const edge = 0.005 * RATE;
    for (let i = 0; i < RATE; i += 1) {
      const whole = i >= RATE / 4 && i < 0.75 * RATE - edge;
      const outside = i < RATE / 4 - edge || i >= 0.75 * RATE;
      if (whole) expect(sides[0][i]).toBe(Math.fround(ramp(RATE + i - RATE / 4)));
      else if (outside) expect(sides[0][i]).toBe(0);
      else expect(sides[0][i]).toBeLessThanOrEqual(0.5);
      expect(sides[1][i]).toBe(sides[0][i]);
    }
  });

  it('of both sides keeps them, at the level that is asked for', async () => {
    const made = recording('stereo', ramp, 2);
    const { sides } = await mixed([{ ...made, from: 0, to: 3, into: 0 }], { gain: 0.5 });
    for (const i of [0, 1, 77, 999, RATE - 1]) {
      expect(sides[0][i]).toBeCloseTo(ramp(i) / 2, 7);
      expect(sides[1][i]).toBeCloseTo(-ramp(i) / 2, 7);
    }
  });

  it('that is cut anywhere and goes on is as if it had not been cut', async () => {
    const noise = (frame: number) => Math.sin(frame * 12.9898) * 0.5;
    const made = recording('noise', noise);
    const whole = (await mixed([{ ...made, from: 0, to: 3, into: 0 }])).sides[0];
    await fc.assert(
      fc.asyncProperty(fc.uniqueArray(fc.integer({ min: 1000, max: RATE - 1000 }), { maxLength: 4 }), async (at) => {
        const cuts = [0, ...at.sort((a, b) => a - b).filter((c, i, all) => i === 0 || c - all[i - 1]! > 500), 3 * RATE];
        const pieces = cuts
          .slice(1)
          .map((to, i) => ({ ...made, from: cuts[i]! / RATE, to: to / RATE, into: cuts[i]! / RATE }));
        const { sides } = await mixed(pieces);
        for (let i = 0; i < RATE; i += 1) expect(Math.abs(sides[0][i]! - whole[i]!)).toBeLessThan(1e-6);
      }),
      { numRuns: 10 },
    );
  });

  it('rings on behind the song where that is asked for, until it is silent', async () => {
    const made = recording('ringing', (frame) => (frame < 1.5 * RATE ? 0.25 : 0));
    const piece = { ...made, from: 0, to: 3, into: 0 };
    expect((await mixed([piece])).frames).toBe(RATE);
    const rung = await mixed([piece], { most: 10 * RATE });
    expect([rung.frames, rung.peak]).toEqual([1.5 * RATE, expect.closeTo(-12.04, 1)]);
  });

  it.each([
    [44_100, 48_000],
    [48_000, 44_100],
    [48_000, 96_000],
  ])('at %i Hz is at %i Hz the same sound at the same moments', async (from, to) => {
    const tone = (frame: number) => 0.5 * Math.sin((2 * Math.PI * 997 * frame) / from);
    const made = recording(`tone ${from}`, tone, 2, from);
    const facts = { ...FACTS, rate: to };
    const piece = { ...made, from: 0.1234, to: 0.9, into: 0.5678 };
    const { sides } = await mixed([piece], { facts, frames: to, most: to });
    let worst = 0;
    for (let i = Math.ceil(0.13 * to); i < 0.89 * to; i += 1) {
      // Placed on the nearest frame: a tone this high moves by so much in half of one.
      const wanted = 0.5 * Math.sin(2 * Math.PI * 997 * (0.5678 + i / to - 0.1234));
      worst = Math.max(worst, Math.abs(sides[0][i]! - wanted));
      expect(sides[1][i]).toBeCloseTo(-sides[0][i]!, 5);
    }
    expect(worst).toBeLessThan((0.5 * 2 * Math.PI * 997 * 0.51) / to);
  });

  it.each([
    [2, 48_000],
    [-5, 44_100],
  ])('moved by %i semitones keeps its place and its length, in a file at %i Hz', async (semitones, to) => {
    const facts = { ...FACTS, rate: to };
    const over = { facts, frames: to, most: to };
    const tone = recording('low tone', (frame) => 0.5 * Math.sin((2 * Math.PI * 440 * frame) / RATE), 2);
    const { sides, frames } = await mixed([{ ...tone, semitones, from: 0, to: 1, into: 0.5 }], over);
    expect(frames).toBe(to);
    const rises = (from: number, until: number): number[] =>
      Array.from({ length: until - from }, (_, i) => from + i).filter((i) => sides[0][i - 1]! < 0 && sides[0][i]! >= 0);
    // Between the first rise and the last there are whole waves.
    const all = rises(Math.round(0.1 * to), Math.round(0.9 * to));
    const hz = ((all.length - 1) * to) / (all.at(-1)! - all[0]!);
    expect(Math.abs(1200 * Math.log2(hz / (440 * 2 ** (semitones / 12))))).toBeLessThan(3);
    const burst = recording('burst', (frame) => (frame >= RATE && frame < RATE + 2000 ? Math.sin(frame * 1.7) / 2 : 0));
    const struck = (await mixed([{ ...burst, semitones, from: 0, to: 1, into: 0.5 }], over)).sides[0];
    const most = struck.reduce((max, sample) => Math.max(max, Math.abs(sample)), 0);
    const first = struck.findIndex((sample) => Math.abs(sample) > 0.3 * most);
    expect(Math.abs(first / to - 0.5)).toBeLessThan(0.003);
  });

  it('that is not there any more is said', async () => {
    const made = recording('gone', ramp);
    await expect(mixed([{ ...made, path: join(folder, 'none'), from: 0, to: 1, into: 0 }])).rejects.toThrow(/ENOENT/);
  });
});
