/**
 * Work on the same thing one after the other, on different things beside each other.
 * @returns what takes work on, by the name of what it is done to; what it throws is its own
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
