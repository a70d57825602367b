import { z } from 'zod';
import { LONGEST_NAME } from './limits';

/** Fields that many schemas have. */
export const id = z.string().min(1).max(80);
/** A note's: what it comes from, and its ordinal there. */
export const noteId = z.string().min(1).max(100);
export const name = z.string().trim().min(1).max(LONGEST_NAME);
export const tick = z.number().finite().min(-1e9).max(1e9);
export const gainDb = z.number().min(-60).max(12);
/** A range of the song, `to` not included. */
export const range = { from: tick, to: tick };
export const rangeSchema = z.object(range).readonly();
export const keyNumber = z.number().int().min(0).max(127);

type Some<S extends z.ZodRawShape> = { readonly [K in keyof S]?: z.output<S[K]> };

/**
 * Any of these fields, for a command that sets some of them: one that is not given is not there, whatever its default,
 * and no other is let through.
 */
export function someOf<S extends z.ZodRawShape>(shape: S): z.ZodType<Some<S>> {
  const bare = Object.entries(shape).map(([key, field]) => {
    const plain = field instanceof z.ZodDefault ? field.unwrap() : field;
    return [key, (plain as z.ZodType).optional()] as const;
  });
  return z.strictObject(Object.fromEntries(bare)) as unknown as z.ZodType<Some<S>>;
}
