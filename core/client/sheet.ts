import type { Sheet, System } from '../document/sheet';

/** Order in which bars are played: with a loop, its first bar follows its last. */
export interface BarOrder {
  readonly bars: number;
  /** Bars of the loop, both included; null without one. */
  readonly loop: { readonly first: number; readonly last: number } | null;
}

/** Bar played after another; null after the last. */
export function barAfter(bar: number, { bars, loop }: BarOrder): number | null {
  if (loop && bar === loop.last) return loop.first;
  return bar < bars ? bar + 1 : null;
}

/** System with a bar; the first system for bars before it. */
const systemOfBar = (systems: readonly System[], bar: number): System | undefined =>
  systems.findLast((s) => s.bar <= bar) ?? systems[0];

/** Area of a bar on a page, as shares of its width and height. */
export interface BarOnPage {
  readonly page: string;
  readonly left: number;
  readonly right: number;
  readonly top: number;
  readonly bottom: number;
}

/** Height of the lowest system of a page, as a share of the page's. */
const LAST_SYSTEM = 0.11;
/** Left and right end of a system, as shares of the page's width. */
const [MARGIN_LEFT, MARGIN_RIGHT] = [0.07, 0.95];

/**
 * Place of a bar: that of its system, divided by its number of bars. Printed bars differ in width, but it is near
 * enough for the eye.
 */
export function barOnPage(systems: readonly System[], bar: number, bars: number): BarOnPage | null {
  const own = systemOfBar(systems, bar);
  if (!own || bar < own.bar) return null;
  const next = systems.find((s) => s.bar > bar);
  const count = (next?.bar ?? Math.max(bars + 1, bar + 1)) - own.bar;
  // The next system below on the page bounds it.
  const below = systems.filter((s) => s.page === own.page && s.top > own.top).map((s) => s.top);
  const bottom = Math.min(1, own.top + LAST_SYSTEM, ...below);
  const along = (at: number): number => MARGIN_LEFT + ((MARGIN_RIGHT - MARGIN_LEFT) * at) / count;
  return { page: own.page, left: along(bar - own.bar), right: along(bar - own.bar + 1), top: own.top, bottom };
}

/**
 * Page of a bar: that of its system; without systems, pages are assigned evenly.
 * @returns null for a sheet without pages
 */
export function pageOfBar({ pages, systems }: Sheet, bar: number, bars: number): string | null {
  const own = systemOfBar(systems, bar);
  if (own) return own.page;
  return pages[Math.min(pages.length - 1, Math.floor(((bar - 1) * pages.length) / Math.max(1, bars)))]?.id ?? null;
}

/** Page after that of a bar, in the order of playing; null for the last. */
function pageAfter(sheet: Sheet, bar: number, order: BarOrder): string | null {
  const own = pageOfBar(sheet, bar, order.bars);
  let at = barAfter(bar, order);
  for (let i = 0; at !== null && i <= order.bars; i += 1) {
    const page = pageOfBar(sheet, at, order.bars);
    if (page !== own) return page;
    at = barAfter(at, order);
  }
  return null;
}

/** Single page for narrow places: that of the next bar, so that it turns a bar ahead. */
export const onlyPage = (sheet: Sheet, bar: number, order: BarOrder): string | null =>
  pageOfBar(sheet, barAfter(bar, order) ?? bar, order.bars);

/** Two pages side by side. */
export type OpenPages = readonly [string | null, string | null];

/** Pages side by side while a bar is played: its page stays in place, and the other side shows the next page. */
export function openPages(before: OpenPages, sheet: Sheet, bar: number, order: BarOrder): OpenPages {
  const now = pageOfBar(sheet, bar, order.bars);
  const index = sheet.pages.findIndex((p) => p.id === now);
  const next = pageAfter(sheet, bar, order) ?? sheet.pages[index + 1]?.id ?? sheet.pages[index - 1]?.id ?? null;
  if (before[1] !== null && before[1] === now) return [next, now];
  return [now, next];
}

/** Text on a page with its place, as shares of the page's width and height. */
export interface TextOnPage {
  readonly page: string;
  readonly text: string;
  readonly x: number;
  readonly y: number;
}

/** Margins: bar numbers are at the head of systems, page numbers at the top and bottom. */
const MOST_LEFT = 0.2;
const [EDGE_TOP, EDGE_BOTTOM] = [0.045, 0.955];
/** Most bars in a system. */
const MOST_BARS_A_SYSTEM = 16;
/** Default place of the first system above its page's middle. */
const FIRST_TOP = 0.16;

/**
 * Systems located by the bar numbers at their heads: the longest plausible rising row of numbers at the left.
 * @param pages ids, in order
 * @returns empty with fewer than two such numbers
 */
export function systemsFrom(texts: readonly TextOnPage[], pages: readonly string[], bars: number): System[] {
  const found = texts
    .filter(({ text, x, y }) => /^\d{1,4}$/.test(text.trim()) && x <= MOST_LEFT && y > EDGE_TOP && y < EDGE_BOTTOM)
    .map(({ text, page, y }) => ({ bar: Number(text), page, top: y, at: pages.indexOf(page) }))
    .filter(({ bar }) => bar >= 1 && bar <= bars)
    .sort((a, b) => a.at - b.at || a.top - b.top);
  /** Longest row that ends at each number, and its predecessor. */
  const rows: { readonly length: number; readonly before: number }[] = [];
  for (const [i, own] of found.entries()) {
    let best = { length: 1, before: -1 };
    for (let j = 0; j < i; j += 1) {
      const step = own.bar - found[j]!.bar;
      const apart = own.at > found[j]!.at || own.top - found[j]!.top > 0.02;
      if (apart && step >= 1 && step <= MOST_BARS_A_SYSTEM && rows[j]!.length >= best.length)
        best = { length: rows[j]!.length + 1, before: j };
    }
    rows.push(best);
  }
  let at = rows.reduce((most, row, i) => (row.length > (rows[most]?.length ?? 0) ? i : most), -1);
  if (at < 0 || rows[at]!.length < 2) return [];
  const systems: System[] = [];
  for (; at >= 0; at = rows[at]!.before) {
    const { bar, page, top } = found[at]!;
    systems.unshift({ bar, page, top: Math.max(0, top - 0.01) });
  }
  // The first system usually has no number.
  const [first] = systems;
  if (first!.bar > 1 && pages[0] !== undefined)
    systems.unshift({
      bar: 1,
      page: pages[0],
      top: first!.page === pages[0] ? Math.min(FIRST_TOP, first!.top / 2) : FIRST_TOP,
    });
  return systems;
}
