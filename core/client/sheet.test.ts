import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Sheet, System } from '../document/sheet';
import {
  barAfter,
  barOnPage,
  onlyPage,
  openPages,
  pageOfBar,
  systemsFrom,
  type BarOrder,
  type OpenPages,
} from './sheet';

const WORLDS = Number(process.env['WORLDS'] ?? 1000);
const BARS = 64;
const page = (n: number) => ({ id: `p${n}`, file: 'a'.repeat(64), page: n, aspect: 1.4 });

/** Sheets whose pages come back now and then, as repeats do in print; songs with lead-ins and loops. */
const sheets: fc.Arbitrary<Sheet> = fc
  .record({
    pages: fc.integer({ min: 1, max: 8 }),
    systems: fc.uniqueArray(
      fc.record({
        bar: fc.integer({ min: 1, max: BARS }),
        page: fc.nat(7),
        top: fc.double({ min: 0, max: 1, noNaN: true }),
      }),
      { maxLength: 20, selector: (s) => s.bar },
    ),
  })
  .map(({ pages, systems }) => ({
    pages: Array.from({ length: pages }, (_, n) => page(n)),
    systems: systems.map((s): System => ({ ...s, page: `p${s.page % pages}` })).sort((a, b) => a.bar - b.bar),
    ink: [],
  }));
const orders: fc.Arbitrary<BarOrder> = fc
  .option(fc.tuple(fc.integer({ min: 1, max: BARS }), fc.integer({ min: 1, max: BARS })))
  .map((loop) => ({ bars: BARS, loop: loop && { first: Math.min(...loop), last: Math.max(...loop) } }));

describe('a sheet', () => {
  it('has the page of each bar open a bar before it is played, whatever is repeated', () => {
    fc.assert(
      fc.property(sheets, orders, fc.integer({ min: 1, max: BARS }), (sheet, order, start) => {
        let bar = order.loop && start > order.loop.last ? order.loop.first : start;
        let open: OpenPages = openPages([null, null], sheet, bar, order);
        const late: string[] = [];
        for (let i = 0; i < 150; i += 1) {
          const now = pageOfBar(sheet, bar, BARS);
          const next = barAfter(bar, order);
          const then = next === null ? now : pageOfBar(sheet, next, BARS);
          // Both lie open: what is read now, and what is read next.
          if (!open.includes(now) || !open.includes(then)) late.push(`bar ${bar}: ${String(open)}`);
          if (next === null) break;
          if (onlyPage(sheet, bar, order) !== then) late.push(`bar ${bar} alone`);
          const before = open;
          bar = next;
          open = openPages(before, sheet, bar, order);
          // The page that is read stays on its side.
          if (open.indexOf(then) !== before.indexOf(then)) late.push(`bar ${bar} on the other side`);
        }
        expect(late).toEqual([]);
      }),
      { numRuns: WORLDS },
    );
  });

  it('has each bar in its system, one beside the other', () => {
    const systems: System[] = [
      { bar: 1, page: 'p0', top: 0.2 },
      { bar: 5, page: 'p0', top: 0.5 },
      { bar: 7, page: 'p1', top: 0.1 },
    ];
    const first = barOnPage(systems, 1, 8)!;
    const second = barOnPage(systems, 2, 8)!;
    expect(first).toMatchObject({ page: 'p0', top: 0.2 });
    expect(first.right).toBeCloseTo(second.left, 9);
    expect(first.bottom).toBeLessThanOrEqual(0.5);
    expect(barOnPage(systems, 6, 8)!.right).toBeCloseTo(0.95, 9);
    expect(barOnPage(systems, 8, 8)).toMatchObject({ page: 'p1' });
    expect(barOnPage([], 1, 8)).toBe(null);
    expect(barOnPage(systems.slice(1), 1, 8)).toBe(null);
  });

  it('finds its systems by the numbers at their heads, and takes no other number for one', () => {
    const at = (p: number, y: number, text: string, x = 0.08) => ({ page: `p${p}`, text, x, y });
    const texts = [
      at(0, 0.02, '1'),
      at(0, 0.05, '120', 0.15),
      at(0, 0.35, '5'),
      at(0, 0.36, '3', 0.5),
      at(0, 0.55, '9'),
      at(0, 0.75, '13'),
      at(0, 0.97, '1', 0.1),
      at(1, 0.1, '17'),
      at(1, 0.11, 'D7'),
      at(1, 0.3, '21'),
      at(1, 0.31, '4', 0.12),
    ];
    const systems = systemsFrom(texts, ['p0', 'p1'], 24);
    expect(systems.map((s) => [s.bar, s.page])).toEqual([
      ...[
        [1, 'p0'],
        [5, 'p0'],
        [9, 'p0'],
        [13, 'p0'],
        [17, 'p1'],
        [21, 'p1'],
      ],
    ]);
    expect(systemsFrom([at(0, 0.4, '7')], ['p0'], 24)).toEqual([]);
    expect(systemsFrom([], [], 24)).toEqual([]);
  });
});
