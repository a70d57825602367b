import { z } from 'zod';
import { id } from '../vocabulary/fields';
import { MOST_BARS, MOST_SHEET_PAGES, MOST_STROKES } from '../vocabulary/limits';

/** Page of the client's sheet: one of a PDF's, or a picture. */
export const sheetPageSchema = z
  .object({
    id,
    /** Content hash of the file. */
    file: z.string().regex(/^[0-9a-f]{64}$/),
    /** Index among the file's pages, from 0. */
    page: z.number().int().min(0).max(10_000),
    /** Height by its width. */
    aspect: z.number().min(0.05).max(20),
  })
  .readonly();
export type SheetPage = z.infer<typeof sheetPageSchema>;

/** Place where a bar begins a system, or a page. */
export const systemSchema = z
  .object({
    bar: z.number().int().min(1).max(MOST_BARS),
    page: id,
    /** Share of the page's height above it. */
    top: z.number().min(0).max(1),
  })
  .readonly();
export type System = z.infer<typeof systemSchema>;

/** Parts that a page's width is counted in, for ink. */
export const INK_WIDTH = 4096;
/** Line that was written on a page: x and y by turns, as differences, in parts of the page's width, packed. */
export const strokeSchema = z.object({ id, page: id, points: z.string().max(40_000) }).readonly();
export type Stroke = z.infer<typeof strokeSchema>;

const sheet = z.object({
  /** In the order in which they are read. */
  pages: z.array(sheetPageSchema).max(MOST_SHEET_PAGES).readonly(),
  /** Systems by bar. A page can be come back to. */
  systems: z.array(systemSchema).max(MOST_BARS).readonly(),
  ink: z.array(strokeSchema).max(MOST_STROKES).readonly(),
});
export const sheetSchema = sheet.readonly();
export type Sheet = z.infer<typeof sheetSchema>;

export const NO_SHEET: Sheet = { pages: [], systems: [], ink: [] };
