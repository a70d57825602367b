/**
 * Something in its place where a file or folder is not there; what else stands in the way is thrown on.
 * @param instead what is given in its place
 */
export function ifMissing<T>(instead: T): (error: NodeJS.ErrnoException) => T {
  return (error) => {
    if (error.code !== 'ENOENT') throw error;
    return instead;
  };
}
