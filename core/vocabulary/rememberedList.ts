import { z } from 'zod';

/**
 * A list that does not read again what it has read. A document is never changed in place: a change makes anew what it
 * touches and leaves the rest as it was, so that only what is new has to be looked at. What comes out is frozen; what
 * is not, is read each time.
 */
export function rememberedList<Output extends object>(schema: z.ZodType<Output>, { max = Infinity } = {}) {
  const several = z.array(schema);
  const read = new WeakMap<object, Output>();
  const known = (value: unknown): Output | undefined => read.get(value as object);
  return z
    .array(z.unknown())
    .max(max)
    .transform((values, context): readonly Output[] => {
      const fresh: number[] = [];
      for (const [i, value] of values.entries()) if (!known(value)) fresh.push(i);
      const { success, data, error } = several.safeParse(fresh.map((i) => values[i]));
      if (!success) {
        for (const { path, ...issue } of error.issues) {
          const [at, ...further] = path;
          context.issues.push({
            ...issue,
            path: [fresh[at as number]!, ...further],
            input: values,
          } as z.core.$ZodRawIssue);
        }
        return z.NEVER;
      }
      const list = values.map(known);
      for (const [n, i] of fresh.entries()) {
        list[i] = Object.freeze(data[n]!);
        read.set(list[i], list[i]);
        if (Object.isFrozen(values[i])) read.set(values[i] as object, list[i]);
      }
      return Object.freeze(list as Output[]);
    });
}
