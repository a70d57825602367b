/** The value held between two others. */
export const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value));

/** The median of some values; 0 of none. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (n === 0) return 0;
  return n % 2 ? sorted[n >> 1]! : (sorted[n / 2 - 1]! + sorted[n / 2]!) / 2;
}

/**
 * The first index below `size` for which `is` holds; `size` where it holds for none. Binary search.
 * @param is holds for every index after one for which it holds
 */
export function firstIndex(size: number, is: (index: number) => boolean): number {
  let [low, high] = [0, size];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (is(middle)) high = middle;
    else low = middle + 1;
  }
  return low;
}

/**
 * The last item whose `of` is at or before `value`, or the first item when none is. Binary search.
 * @param items not empty, in rising order of `of`
 * @example lastAtOrBefore([1, 3, 5], 4, (n) => n) // 3
 */
export const lastAtOrBefore = <T>(items: readonly T[], value: number, of: (item: T) => number): T =>
  items[Math.max(0, firstIndex(items.length, (i) => of(items[i]!) > value) - 1)]!;

/**
 * The index of the first item whose `of` is at or after `value`; the length where none is. Binary search.
 * @param items in rising order of `of`
 * @example firstAtOrAfter([1, 3, 5], 4, (n) => n) // 2
 */
export const firstAtOrAfter = <T>(items: readonly T[], value: number, of: (item: T) => number): number =>
  firstIndex(items.length, (i) => of(items[i]!) >= value);
