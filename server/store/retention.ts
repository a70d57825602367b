/**
 * Steps of how close backups lie, counted in backups: all of the last day's, then one in a day's for two weeks,
 * then one in a week's for half a year. One is made an hour at the most, and only where something was changed. The
 * day's clock has no say in it: it can be wrong by a year, and put right.
 */
const DAY = 24;
const STEPS: readonly (readonly [every: number, among: number])[] = [
  [1, DAY],
  [DAY, 14 * DAY],
  [7 * DAY, 26 * 7 * DAY],
];

/**
 * Finds the backups that go. Those that stay do not change as others are made, until they are too far back.
 * @param all the numbers under which they were made, each once
 * @returns those that go
 */
export function outlived(all: readonly number[]): number[] {
  const newest = all.reduce((most, n) => Math.max(most, n), -Infinity);
  return all.filter((n) => n !== newest && !STEPS.some(([every, among]) => n % every === 0 && newest - n < among));
}
