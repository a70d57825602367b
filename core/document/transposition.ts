import { z } from 'zod';
import { barStart, type MeterMap } from '../time/meter';
import type { Transposition } from '../performance/transposition';
import { semitoneWords, transposedKey, type SongKey } from '../vocabulary/key';
import { MOST_BARS, MOST_SEMITONES } from '../vocabulary/limits';

/** Transposition from a bar on, in semitones. */
export const transposedFromSchema = z
  .object({
    bar: z.number().int().min(1).max(MOST_BARS),
    semitones: z.number().int().min(-MOST_SEMITONES).max(MOST_SEMITONES),
  })
  .readonly();
export type TransposedFrom = z.infer<typeof transposedFromSchema>;

/** Transposition by tick. */
export const transpositionOf = (all: readonly TransposedFrom[], meter: MeterMap): Transposition =>
  all.map(({ bar, semitones }) => ({ tick: barStart(meter, bar), semitones }));

/** @example semitonesInBar([{ bar: 9, semitones: 2 }], 12) // 2 */
export const semitonesInBar = (all: readonly TransposedFrom[], bar: number): number =>
  all.findLast((change) => change.bar <= bar)?.semitones ?? 0;

/** Transposition after some bars were transposed, whatever they were before; the last bar is included. */
export function transposedInBars(
  all: readonly TransposedFrom[],
  { first, last }: { readonly first: number; readonly last: number },
  semitones: number,
): TransposedFrom[] {
  const after = semitonesInBar(all, last + 1);
  const made = [
    ...all.filter((change) => change.bar < first),
    { bar: first, semitones },
    ...(last < MOST_BARS ? [{ bar: last + 1, semitones: after }] : []),
    ...all.filter((change) => change.bar > last + 1),
  ];
  return made.filter(({ semitones: now }, i) => now !== (made[i - 1]?.semitones ?? 0));
}

/** Sounding key of a bar, where the written key is known. */
export const keyInBar = (
  { key, transposition }: { readonly key: SongKey | null; readonly transposition: readonly TransposedFrom[] },
  bar: number,
): SongKey | null => key && transposedKey(key, semitonesInBar(transposition, bar));

/** Ranges of transposed bars with one transposition each, the last bar included. */
export function transposedRanges(
  all: readonly TransposedFrom[],
  bars: number,
): { readonly first: number; readonly last: number; readonly semitones: number }[] {
  return all
    .map(({ bar, semitones }, i) => ({
      first: bar,
      last: Math.min(bars, (all[i + 1]?.bar ?? Infinity) - 1),
      semitones,
    }))
    .filter(({ first, last, semitones }) => semitones !== 0 && last >= first);
}

/**
 * Transposition of a song in words; empty where nothing is transposed.
 * @example transpositionWords([{ bar: 1, semitones: 2 }], 32) // '2 semitones up'
 */
export const transpositionWords = (all: readonly TransposedFrom[], bars: number): string =>
  transposedRanges(all, bars)
    .map(({ first, last, semitones }) => {
      const where = first === last ? ` in bar ${first}` : ` in bars ${first}–${last}`;
      return semitoneWords(semitones) + (first === 1 && last === bars ? '' : where);
    })
    .join(', ');
