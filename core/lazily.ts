/** Value computed at its first use, and then cached. */
export function lazily<T extends object>(find: () => T): () => T {
  let found: T | undefined;
  return () => (found ??= find());
}
