/**
 * Queues by name: work on one name runs one after the other, on different names in parallel.
 * @returns function that adds work to a name's queue; errors go to its caller alone
 */
export function oneByOne(): <T>(what: string, work: () => Promise<T>) => Promise<T> {
  const last = new Map<string, Promise<void>>();
  return (what, work) => {
    const done = (last.get(what) ?? Promise.resolve()).then(work);
    const over = done
      .then(
        () => {},
        () => {},
      )
      .then(() => {
        if (last.get(what) === over) last.delete(what);
      });
    last.set(what, over);
    return done;
  };
}
