import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { rememberedList } from './rememberedList';

function counting() {
  let looked = 0;
  const schema = z.object({ a: z.number().refine(() => (looked += 1) > 0), b: z.string().default('usual') }).readonly();
  return { schema: z.object({ list: rememberedList(schema, { max: 4 }) }), looked: () => looked };
}

describe('a list that remembers', () => {
  it('looks once at what is not changed, and at what is new beside it', () => {
    const { schema, looked } = counting();
    const first = schema.parse({ list: [{ a: 1 }, { a: 2 }] });
    expect(first).toEqual({
      list: [
        { a: 1, b: 'usual' },
        { a: 2, b: 'usual' },
      ],
    });
    expect(looked()).toBe(2);
    const again = schema.parse({ list: [...first.list, Object.freeze({ a: 3 })] });
    expect(again.list[0]).toBe(first.list[0]);
    expect(again.list[2]).toEqual({ a: 3, b: 'usual' });
    expect(looked()).toBe(3);
  });

  it('looks each time at what could be changed in place', () => {
    const { schema } = counting();
    const own: { a: unknown } = { a: 1 };
    schema.parse({ list: [own] });
    own.a = 'x';
    expect(() => schema.parse({ list: [own] })).toThrow();
  });

  it('says where it is wrong, as any other', () => {
    const { error } = counting().schema.safeParse({ list: [{ a: 1 }, { a: 'x' }, null] });
    expect(error?.issues.map(({ path, code }) => ({ path, code }))).toEqual([
      { path: ['list', 1, 'a'], code: 'invalid_type' },
      { path: ['list', 2], code: 'invalid_type' },
    ]);
  });
});
