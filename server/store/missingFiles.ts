/**
 * Handler that replaces the error of a missing file or folder by a value; other errors are thrown on.
 * @param instead the value
 */
export function ifMissing<T>(instead: T): (error: NodeJS.ErrnoException) => T {
  return (error) => {
    if (error.code !== 'ENOENT') throw error;
    return instead;
  };
}
