import { z } from 'zod';
import { LONGEST_NAME } from './limits';

/** Fields shared by many schemas. */
export const id = z.string().min(1).max(80);
/** Id of a note: its source, and its ordinal there. */
export const noteId = z.string().min(1).max(100);
export const name = z.string().trim().min(1).max(LONGEST_NAME);
export const tick = z.number().finite().min(-1e9).max(1e9);
export const gainDb = z.number().min(-60).max(12);
/** Range of the song; `to` is not included. */
export const range = { from: tick, to: tick };
export const rangeSchema = z.object(range).readonly();
export const keyNumber = z.number().int().min(0).max(127);

type Some<S extends z.ZodRawShape> = { readonly [K in keyof S]?: z.output<S[K]> };

/**
 * Schema of a command that sets some of these fields. Missing fields stay missing, whatever their default, and other
 * fields are refused.
 */
export function someOf<S extends z.ZodRawShape>(shape: S): z.ZodType<Some<S>> {
  const bare = Object.entries(shape).map(([key, field]) => {
    const plain = field instanceof z.ZodDefault ? field.unwrap() : field;
    return [key, (plain as z.ZodType).optional()] as const;
  });
  return z.strictObject(Object.fromEntries(bare)) as unknown as z.ZodType<Some<S>>;
}
