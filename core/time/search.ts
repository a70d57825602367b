/**
 * The last item whose `of` is at or before `value`, or the first item when none is. Binary search.
 * @param items not empty, in rising order of `of`
 * @example lastAtOrBefore([1, 3, 5], 4, (n) => n) // 3
 */
export function lastAtOrBefore<T>(items: readonly T[], value: number, of: (item: T) => number): T {
  let low = 0;
  let high = items.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (of(items[middle]!) <= value) low = middle;
    else high = middle - 1;
  }
  return items[low]!;
}

/**
 * The index of the first item whose `of` is at or after `value`; the length where none is. Binary search.
 * @param items in rising order of `of`
 * @example firstAtOrAfter([1, 3, 5], 4, (n) => n) // 2
 */
export function firstAtOrAfter<T>(items: readonly T[], value: number, of: (item: T) => number): number {
  let [low, high] = [0, items.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (of(items[middle]!) < value) low = middle + 1;
    else high = middle;
  }
  return low;
}
