/**
 * Parses rows. An unreadable one stays in the database, is logged, and is left out.
 * @param what kind of row, for the log
 * @param nameOf name of a row, for the log
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
