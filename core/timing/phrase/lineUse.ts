import type { Lattice } from '../lattice';

/** Prior probability that a place is struck, by its depth in the meter. */
const USED: Readonly<Record<number, number>> = { 0: 0.55, 1: 0.5, 2: 0.42, 2.5: 0.35, 3: 0.3, 3.5: 0.18, 4: 0.12 };
const SELDOM = 0.06;
const usedBeforehand = (depth: number): number => USED[depth] ?? SELDOM;
/** Pseudo-count of the prior, in bars; bars further away than this count for less. */
const BEFOREHAND = 5;
const AROUND = 5;
/**
 * Number of bars on either side that a bar is compared with, and the factor by which each differing place makes them
 * less alike.
 */
const LIKE_WITHIN = 48;
const MOST_DIFFER = 5;
const DIFFERS = 0.8;
/** Pseudo-count of the neighbouring bars among the bars that are alike. */
const UNLIKE = 0.6;
/** The least probability that a line is struck, or left out, and the weight of line use against the onsets' places. */
const NEVER = 0.04;
const USE_COUNTS = 0.85;

/**
 * Bars that play the same places, by how many differ: what one does says what another means.
 * @returns by line, how often bars that are like its own play it, and how many those are
 */
function likeBars({ place, places, bar, size }: Lattice, struck: Float64Array): readonly [Float64Array, Float64Array] {
  const first = bar[0] ?? 0;
  const count = (bar[size - 1] ?? -1) - first + 1;
  const [used, has] = [new Float64Array(count * places), new Uint8Array(count * places)];
  const onsets = new Float64Array(count);
  for (let k = 0; k < size; k += 1) {
    const at = (bar[k]! - first) * places + place[k]!;
    has[at] = 1;
    used[at] = struck[k]!;
    onsets[bar[k]! - first]! += struck[k]!;
  }
  const [hits, weight] = [new Float64Array(count * places), new Float64Array(count * places)];
  for (let a = 0; a < count; a += 1)
    for (let b = a + 1; b < Math.min(count, a + LIKE_WITHIN); b += 1) {
      const most = Math.min(MOST_DIFFER, (onsets[a]! + onsets[b]!) / 3);
      let differ = Math.abs(onsets[a]! - onsets[b]!) < most ? 0 : most;
      const [i, j] = [a * places, b * places];
      for (let p = 0; p < places && differ < most; p += 1) differ += Math.abs(used[i + p]! - used[j + p]!);
      if (differ >= most) continue;
      const w = Math.exp(-differ * DIFFERS);
      for (let p = 0; p < places; p += 1) {
        if (!has[i + p] || !has[j + p]) continue;
        hits[i + p]! += w * used[j + p]!;
        hits[j + p]! += w * used[i + p]!;
        weight[i + p]! += w;
        weight[j + p]! += w;
      }
    }
  const [often, bars] = [new Float64Array(size), new Float64Array(size)];
  for (let k = 0; k < size; k += 1) {
    const at = (bar[k]! - first) * places + place[k]!;
    often[k] = hits[at]!;
    bars[k] = weight[at]!;
  }
  return [often, bars];
}

/**
 * Cost of each line's being struck at all: by how plain its place is, by what the bars around do there, and above all
 * by what bars do there that are otherwise alike.
 */
export function useOf(columns: Lattice, struck: Float64Array | null): Float64Array {
  const { place, places, bar, depth, size } = columns;
  const use = new Float64Array(size);
  const [chance, weight] = [new Float64Array(size), new Float64Array(size)];
  // Weights by the number of bars between, made once.
  const fades = Array.from({ length: 16 }, (_, bars) => Math.exp(-bars / AROUND));
  for (const step of struck ? [1, -1] : []) {
    const [hits, seen, last] = [new Float64Array(places), new Float64Array(places), new Int32Array(places).fill(-1)];
    for (let k = step > 0 ? 0 : size - 1; k >= 0 && k < size; k += step) {
      const here = place[k]!;
      const before = last[here]!;
      if (before >= 0) {
        const bars = Math.abs(bar[k]! - bar[before]!);
        const keeps = fades[bars] ?? Math.exp(-bars / AROUND);
        hits[here] = (hits[here]! + struck![before]!) * keeps;
        seen[here] = (seen[here]! + 1) * keeps;
      }
      last[here] = k;
      chance[k]! += hits[here]!;
      weight[k]! += seen[here]!;
    }
  }
  const alike = struck ? likeBars(columns, struck) : null;
  for (let k = 0; k < size; k += 1) {
    const around = (chance[k]! + BEFOREHAND * usedBeforehand(depth[k]!)) / (weight[k]! + BEFOREHAND);
    const p = alike ? (alike[0][k]! + UNLIKE * around) / (alike[1][k]! + UNLIKE) : around;
    const kept = Math.max(NEVER, Math.min(1 - NEVER, p));
    use[k] = -USE_COUNTS * Math.log(kept / (1 - kept));
  }
  return use;
}
