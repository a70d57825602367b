import { z } from 'zod';
import { id } from '../vocabulary/fields';
import { MOST_BARS, MOST_SHEET_PAGES, MOST_STROKES } from '../vocabulary/limits';

/** Page of the client's sheet: of a PDF, or a picture. */
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

/** Place where a bar begins a system or a page. */
export const systemSchema = z
  .object({
    bar: z.number().int().min(1).max(MOST_BARS),
    page: id,
    /** Distance from the top, as a share of the page's height. */
    top: z.number().min(0).max(1),
  })
  .readonly();
export type System = z.infer<typeof systemSchema>;

/** Units of a page's width in which marks are stored. */
export const INK_WIDTH = 4096;
/** Line drawn on a page: x and y in turn, as differences in those units, packed. */
export const strokeSchema = z.object({ id, page: id, points: z.string().max(40_000) }).readonly();
export type Stroke = z.infer<typeof strokeSchema>;

const sheet = z.object({
  /** Pages in reading order. */
  pages: z.array(sheetPageSchema).max(MOST_SHEET_PAGES).readonly(),
  /** Places of systems, by bar; a page can recur. */
  systems: z.array(systemSchema).max(MOST_BARS).readonly(),
  ink: z.array(strokeSchema).max(MOST_STROKES).readonly(),
});
export const sheetSchema = sheet.readonly();
export type Sheet = z.infer<typeof sheetSchema>;

export const NO_SHEET: Sheet = { pages: [], systems: [], ink: [] };
