import { z } from 'zod';
import type { Seconds } from '../time/units';

const METHODS = ['loop', 'taps', 'typed'] as const;

/** Latency with its origin. */
const figureSchema = z
  .object({
    seconds: z.number().min(-1).max(5),
    /** Standard deviation in seconds; 0 for a typed value. */
    spread: z.number().min(0).max(5),
    method: z.enum(METHODS),
    /** ISO 8601. */
    at: z.string().max(40),
  })
  .readonly();
export type LatencyFigure = z.infer<typeof figureSchema>;

/** Latencies of one set-up: audio device, sample rate and buffer. */
export const setupFiguresSchema = z
  .object({
    /** Set-up in words. */
    words: z.string().max(200),
    output: figureSchema.nullable(),
    input: figureSchema.nullable(),
  })
  .readonly();
export type SetupFigures = z.infer<typeof setupFiguresSchema>;

/** Id of a set-up from its rate, buffer and device. */
export function setupOf(sampleRate: number, buffer: Seconds, device: string): { id: string; words: string } {
  const ms = Math.round(buffer * 10_000) / 10;
  return { id: `${device} ${sampleRate} ${ms}`, words: `${device}, ${sampleRate / 1000} kHz, buffer ${ms} ms` };
}

/**
 * Latest measured set-up other than this one, whose values do not apply here.
 * @returns undefined where this one has an output latency, or nothing was measured
 */
export function changedSince(all: Readonly<Record<string, SetupFigures>>, now: string): SetupFigures | undefined {
  if (all[now]?.output) return undefined;
  return Object.entries(all)
    .filter(([id, f]) => id !== now && f.output)
    .map(([, f]) => f)
    .sort((a, b) => b.output!.at.localeCompare(a.output!.at))[0];
}
