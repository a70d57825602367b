import { z } from 'zod';
import type { Seconds } from '../time/units';

const METHODS = ['loop', 'taps', 'typed'] as const;

/** One latency figure, and how it came about. */
const figureSchema = z
  .object({
    seconds: z.number().min(-1).max(5),
    /** Standard deviation in seconds; 0 for a typed one. */
    spread: z.number().min(0).max(5),
    method: z.enum(METHODS),
    /** ISO 8601. */
    at: z.string().max(40),
  })
  .readonly();
export type LatencyFigure = z.infer<typeof figureSchema>;

/** Figures of one set-up of audio device, rate and buffer. */
export const setupFiguresSchema = z
  .object({
    /** The set-up in words. */
    words: z.string().max(200),
    output: figureSchema.nullable(),
    input: figureSchema.nullable(),
  })
  .readonly();
export type SetupFigures = z.infer<typeof setupFiguresSchema>;

/** Identity of a set-up: its rate, its buffer and its device. */
export function setupOf(sampleRate: number, buffer: Seconds, device: string): { id: string; words: string } {
  const ms = Math.round(buffer * 10_000) / 10;
  return { id: `${device} ${sampleRate} ${ms}`, words: `${device}, ${sampleRate / 1000} kHz, buffer ${ms} ms` };
}

/**
 * The latest set-up that was measured and is not this one: its figures do not hold here.
 * @returns undefined when this one has a figure for the output latency, or nothing was measured anywhere
 */
export function changedSince(all: Readonly<Record<string, SetupFigures>>, now: string): SetupFigures | undefined {
  if (all[now]?.output) return undefined;
  return Object.entries(all)
    .filter(([id, f]) => id !== now && f.output)
    .map(([, f]) => f)
    .sort((a, b) => b.output!.at.localeCompare(a.output!.at))[0];
}
