/**
 * Reads rows. One that cannot be read stays as it is, is said in the log, and holds up none of the others.
 * @param what they are, for the log
 * @param nameOf what one is called there
 */
export function readable<Row, T>(
  what: string,
  rows: readonly Row[],
  nameOf: (row: Row) => string,
  read: (row: Row) => T,
): Map<string, T | null> {
  return new Map(
    rows.map((row) => {
      try {
        return [nameOf(row), read(row)];
      } catch (error) {
        console.error(`${what} “${nameOf(row)}” cannot be read, and was left as it is:`, error);
        return [nameOf(row), null];
      }
    }),
  );
}
