import { z } from 'zod';
import { sheetPageSchema, strokeSchema, systemSchema } from '../../document/sheet';
import { MOST_BARS, MOST_SHEET_PAGES, MOST_STROKES } from '../../vocabulary/limits';
import { id } from '../../vocabulary/fields';
import { UnknownThing, type SongDraft } from '../draft';
import { command } from './command';

/** Distance, in shares of a page's height, below which two systems are one that was located again. */
const SAME_SYSTEM = 0.03;

/** @throws UnknownThing */
function checkPage({ sheet }: SongDraft, page: string): void {
  if (!sheet.pages.some((p) => p.id === page)) throw new UnknownThing('That page is no longer in the sheet.');
}

/** Commands for the client's sheet: its pages, the places of systems, and marks. */
export const sheetCommands = {
  'add sheet pages': command({
    fields: z.object({
      pages: z.array(sheetPageSchema).min(1).max(MOST_SHEET_PAGES).readonly(),
      systems: z.array(systemSchema).max(MOST_BARS).readonly(),
    }),
    undo: 'the new pages',
    carryOut: ({ sheet }, { pages, systems }) => {
      if (sheet.pages.length + pages.length > MOST_SHEET_PAGES)
        throw new UnknownThing(`A sheet has at most ${MOST_SHEET_PAGES} pages.`);
      sheet.pages.push(...pages.map((page) => ({ ...page })));
      // Systems located by hand and earlier ones take precedence.
      const told = new Set(sheet.systems.map((s) => s.bar));
      sheet.systems.push(...systems.filter((s) => !told.has(s.bar)).map((s) => ({ ...s })));
      sheet.systems.sort((a, b) => a.bar - b.bar);
    },
  }),

  'take sheet pages out': command({
    fields: z.object({ pages: z.array(id).min(1).max(MOST_SHEET_PAGES).readonly() }),
    undo: 'taking pages out',
    carryOut: ({ sheet }, { pages }) => {
      const isGone = (page: string): boolean => pages.includes(page);
      sheet.pages = sheet.pages.filter((p) => !isGone(p.id));
      sheet.systems = sheet.systems.filter((s) => !isGone(s.page));
      sheet.ink = sheet.ink.filter((s) => !isGone(s.page));
    },
  }),

  'place system': command({
    fields: z.object({ system: systemSchema }),
    undo: 'where bars stand',
    carryOut: (draft, { system }) => {
      checkPage(draft, system.page);
      const { sheet } = draft;
      const others = sheet.systems.filter(
        (s) => s.bar !== system.bar && !(s.page === system.page && Math.abs(s.top - system.top) < SAME_SYSTEM),
      );
      sheet.systems = [...others, { ...system }].sort((a, b) => a.bar - b.bar);
    },
  }),

  'take system out': command({
    fields: z.object({ bar: z.number().int().min(1).max(MOST_BARS) }),
    undo: 'where bars stand',
    carryOut: ({ sheet }, { bar }) => {
      sheet.systems = sheet.systems.filter((s) => s.bar !== bar);
    },
  }),

  'write on sheet': command({
    fields: z.object({ stroke: strokeSchema }),
    undo: 'what was written',
    carryOut: (draft, { stroke }) => {
      checkPage(draft, stroke.page);
      if (draft.sheet.ink.length >= MOST_STROKES)
        throw new UnknownThing('The sheet is full of what was written on it.');
      draft.sheet.ink.push({ ...stroke });
    },
  }),

  'rub out': command({
    fields: z.object({ strokes: z.array(id).min(1).max(MOST_STROKES).readonly() }),
    undo: 'rubbing out',
    carryOut: ({ sheet }, { strokes }) => {
      sheet.ink = sheet.ink.filter((s) => !strokes.includes(s.id));
    },
  }),
};
