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
 * Numbers of the backups to delete. Those that stay do not depend on later backups, until they are too old.
 * @param all numbers of all backups
 */
export function outlived(all: readonly number[]): number[] {
  const newest = all.reduce((most, n) => Math.max(most, n), -Infinity);
  return all.filter((n) => n !== newest && !STEPS.some(([every, among]) => n % every === 0 && newest - n < among));
}
