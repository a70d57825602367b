/** Worked out when it is first asked for, and then kept. */
export function lazily<T extends object>(find: () => T): () => T {
  let found: T | undefined;
  return () => (found ??= find());
}
