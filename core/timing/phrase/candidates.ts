import type { Seconds } from '../../time/units';
import type { Lattice } from '../lattice';
import { GRACE, type Onset } from '../onsets';

/** The most that a grace note may be behind its line. */
const LEANS_BACK: Seconds = 0.03;
/** The most candidate lines of an onset. */
const MOST_CANDIDATES = 4;
const MOST_OF_TWO = 6;
const LEAST_CANDIDATES = 2;

/**
 * Candidates that notes can be put to: for each the first of its candidates in one list; the last entry is the list's
 * end.
 */
export interface Candidates {
  readonly first: Int32Array;
  readonly line: Int32Array;
  /** Grid that the candidate follows. */
  readonly grid: Int8Array;
  /** True where the onset would be a grace note to what follows on that line. */
  readonly grace: Uint8Array;
}

/**
 * Candidates of each note: the lines around it, nearest first, or the one that was decided.
 * @param onsets by time
 * @param pinned lines that were decided, by onset
 * @param reach distance within which candidates lie, in seconds; the nearest line always counts
 */
export function candidatesOf(
  onsets: readonly Onset[],
  { seconds, grids: masks, size }: Lattice,
  pinned: readonly (number | undefined)[],
  reach: Seconds,
): Candidates {
  const first = new Int32Array(onsets.length + 1);
  const line: number[] = [];
  const grid: number[] = [];
  const grace: number[] = [];
  const add = (k: number, leans: boolean): void => {
    const grids = masks[k]!;
    for (let mode = 1; mode <= 2; mode += 1) {
      if ((grids & mode) === 0) continue;
      line.push(k);
      grid.push(mode);
      grace.push(0);
      if (!leans) continue;
      line.push(k);
      grid.push(mode);
      grace.push(1);
    }
  };
  const most = masks.some((m) => m > 1) ? MOST_OF_TWO : MOST_CANDIDATES;
  let at = 0;
  for (let i = 0; i < onsets.length; i += 1) {
    first[i] = line.length;
    const pin = pinned[i];
    if (pin !== undefined) {
      add(pin, false);
      // A line that is in neither grid can still be decided on.
      if (line.length === first[i]) {
        line.push(pin);
        grid.push(1);
        grace.push(0);
      }
      continue;
    }
    const x = onsets[i]!.at;
    while (at + 1 < size && seconds[at + 1]! <= x) at += 1;
    while (at > 0 && seconds[at]! > x) at -= 1;
    // Outwards from the onset, nearest first.
    let [low, high] = [at, at + 1];
    for (let n = 0; n < most; n += 1) {
      const below = low >= 0 ? x - seconds[low]! : Infinity;
      const above = high < size ? seconds[high]! - x : Infinity;
      if (Math.min(below, above) > reach && n >= LEAST_CANDIDATES) break;
      if (below === Infinity && above === Infinity) break;
      if (below <= above) low -= 1;
      else high += 1;
    }
    const { leans } = onsets[i]!;
    for (let k = low + 1; k < high; k += 1) {
      const ahead = seconds[k]! - x;
      add(k, leans && ahead > -LEANS_BACK && ahead < GRACE);
    }
  }
  first[onsets.length] = line.length;
  return { first, line: Int32Array.from(line), grid: Int8Array.from(grid), grace: Uint8Array.from(grace) };
}
