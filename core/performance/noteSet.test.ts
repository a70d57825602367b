import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { idsOf, noteSet, ordinalsOf, packNumbers, splitSet, unpackNumbers } from './noteSet';

const ids = (source: string, ordinals: readonly number[]) => ordinals.map((n) => ({ id: `${source}:${n}` }));

describe('a set of notes', () => {
  it('names the same notes again, from however many layers', () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.nat(4000)), fc.uniqueArray(fc.nat(40)), (a, b) => {
        const set = noteSet([...ids('layer a', a), ...ids('b', b)]);
        const named = [...ids('layer a', a), ...ids('b', b)].map((n) => n.id);
        expect(idsOf(set).sort()).toEqual(named.sort());
      }),
    );
  });

  it('is small for runs, and for ten thousand notes without any order', () => {
    const all = Array.from({ length: 10_000 }, (_, i) => i);
    expect(noteSet(ids('l', all))).toEqual({ l: '0-9999' });
    const half = all.filter((n) => (n * 7919) % 13 < 6);
    const words = noteSet(ids('l', half))['l']!;
    expect(words.length).toBeLessThan(1700);
    expect(ordinalsOf(words)).toEqual(half);
  });

  it('names nothing where its words are damaged', () => {
    for (const words of ['', '=%%', 'a-b', '5-99999999999', '-']) expect(ordinalsOf(words)).toEqual([]);
  });

  it('is split by where notes come from', () => {
    expect(splitSet({ a: '1', b: '2-3' }, 'b')).toEqual({ own: { b: '2-3' }, others: { a: '1' } });
    expect(splitSet({ a: '1' }, 'b')).toEqual({ own: {}, others: { a: '1' } });
  });
});

describe('packed numbers', () => {
  it('come out as they went in', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -1e9, max: 1e9 })), (numbers) => {
        expect(unpackNumbers(packNumbers(numbers))).toEqual(numbers);
      }),
    );
  });
});
