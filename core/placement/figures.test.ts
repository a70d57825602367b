import { describe, expect, it } from 'vitest';
import { changedSince, setupOf } from './figures';

describe('stored figures', () => {
  const figure = (at: string) => ({ seconds: 0.02, spread: 0, method: 'loop' as const, at });
  it('belong to one set-up, and another one says that they do not hold', () => {
    const here = setupOf(48_000, 0.0107, 'default output');
    expect(here).toEqual({ id: 'default output 48000 10.7', words: 'default output, 48 kHz, buffer 10.7 ms' });
    const old = { words: 'old', output: figure('2026-01-01'), input: null };
    const newer = { words: 'newer', output: figure('2026-02-01'), input: null };
    expect(changedSince({}, here.id)).toBeUndefined();
    expect(changedSince({ a: old, b: newer, c: { words: 'none', output: null, input: null } }, here.id)).toBe(newer);
    expect(changedSince({ a: old, [here.id]: newer }, here.id)).toBeUndefined();
  });
});
