import { closeSync, openSync, readSync } from 'node:fs';
import { addSamples, bytesPerSample, wavHeader } from '../../core/files/wav';
import { LoudnessMeter } from '../../core/handover/loudness';
import type { Bounced, SumTask } from './task';

/** Frames of each part in memory at once. */
const BLOCK = 1 << 15;

/** Peak of some parts' sum. Nothing is written. */
export function sumOf({ parts }: SumTask): Bounced {
  const { rate, channels } = parts[0]!.facts;
  const meter = new LoudnessMeter(rate, channels);
  const frames = Math.max(...parts.map((p) => p.frames));
  const files = parts.map(({ path, facts }) => ({ file: openSync(path, 'r'), head: wavHeader(facts, 0).length }));
  try {
    for (let from = 0; from < frames; from += BLOCK) {
      const sides = Array.from({ length: channels }, () => new Float32Array(Math.min(BLOCK, frames - from)));
      parts.forEach(({ facts, frames: own }, i) => {
        const size = bytesPerSample(facts.format) * channels;
        const count = Math.max(0, Math.min(sides[0]!.length, own - from));
        const bytes = new Uint8Array(count * size);
        const { file, head } = files[i]!;
        const read = count > 0 ? readSync(file, bytes, 0, bytes.length, head + from * size) : 0;
        addSamples(bytes.subarray(0, read), facts.format, sides);
      });
      meter.add(sides);
    }
    return { frames, levels: meter.levels() };
  } finally {
    for (const { file } of files) closeSync(file);
  }
}
