import type { Spectrum } from './spectrum';

/** Cumulative harmony of a recording, from which any range is summed at once. */
export class Harmony {
  readonly moments: number;
  readonly keys: number;
  readonly #sums: Float64Array;
  constructor({ chord, keys }: Spectrum) {
    this.keys = keys;
    this.moments = Math.floor(chord.length / Math.max(1, keys));
    this.#sums = new Float64Array((this.moments + 1) * keys);
    for (let m = 0; m < this.moments; m += 1)
      for (let k = 0; k < keys; k += 1)
        this.#sums[(m + 1) * keys + k] = this.#sums[m * keys + k]! + chord[m * keys + k]!;
  }
  /** Cumulative sums of all keys up to some moments, possibly between two values; one row each. */
  upTo(moments: readonly number[]): Float64Array {
    const out = new Float64Array(moments.length * this.keys);
    moments.forEach((moment, row) => {
      const at = Math.max(0, Math.min(this.moments, moment));
      const low = Math.floor(at) * this.keys;
      const high = Math.ceil(at) * this.keys;
      const part = at - Math.floor(at);
      for (let k = 0; k < this.keys; k += 1)
        out[row * this.keys + k] = this.#sums[low + k]! * (1 - part) + this.#sums[high + k]! * part;
    });
    return out;
  }
  /**
   * Cosine similarity of two ranges, 0 to 1; 1 where one of them is silent.
   * @param sums rows of `upTo`
   * @param a, b, c, d rows at which the two ranges begin and end
   */
  likeness(sums: Float64Array, [a, b, c, d]: readonly [number, number, number, number], keys = this.keys): number {
    let [dot, na, nb] = [0, 0, 0];
    for (let k = 0; k < keys; k += 1) {
      const x = sums[b * this.keys + k]! - sums[a * this.keys + k]!;
      const y = sums[d * this.keys + k]! - sums[c * this.keys + k]!;
      dot += x * y;
      na += x * x;
      nb += y * y;
    }
    return na > 0 && nb > 0 ? dot / Math.sqrt(na * nb) : 1;
  }
}
