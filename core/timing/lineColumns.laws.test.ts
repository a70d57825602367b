import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ranges } from '../testing/arbitraries';
import { music, recipes } from '../testing/treated';
import { lineColumns, readLines } from './lineColumns';
import { lineUpAs, linedUp, type Decided, type Lined } from './unitLines';
import { columnsOf, readColumns } from './noteColumns';

const worlds = Number(process.env.WORLDS ?? 100);

/** Decision of the player about every so many notes: a line, or that it stays. */
const said = fc.record({ every: fc.integer({ min: 1, max: 12 }), played: fc.boolean() });

const whole = ({ doubt, drift, ...lined }: Lined) => ({ ...lined, doubt: doubt?.() ?? null, drift: drift() });

describe('lines that are found elsewhere', () => {
  it('are the ones that would be found here, of whatever notes, recipe and decisions', () => {
    fc.assert(
      fc.property(
        music,
        recipes,
        ranges(6000),
        said,
        ({ notes, tempo, meter, clock }, recipe, range, { every, played }) => {
          const decided: Decided = new Map(
            notes
              .filter((_, i) => i % every === every - 1)
              .map(({ id, start }) => [id, played ? 'played' : Math.round(start / 240) * 240] as const),
          );
          const sent = readColumns(structuredClone(columnsOf(notes, { tempo, meter }, decided)));
          const there = linedUp(sent.notes, recipe, sent.clock, range, sent.decided);
          const back = readLines(structuredClone(lineColumns(there, sent.notes, recipe.way === 'steady')), notes);
          const here = linedUp([...notes], recipe, clock, range, decided);
          expect(whole(back)).toEqual(whole(here));
          lineUpAs(back, notes, recipe, clock, range, decided);
          expect(linedUp(notes, recipe, clock, range, decided)).toBe(back);
        },
      ),
      { numRuns: worlds },
    );
  });
});
