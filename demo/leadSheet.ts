/** A client's pages as a PDF: staves with bar numbers and chords, for the demo and for trying sheets out. */
import { PDFDocument, StandardFonts, rgb, type PDFFont, type PDFPage } from 'pdf-lib';

export interface LeadSheet {
  readonly title: string;
  readonly bars: number;
  /** Chord symbols over a bar, by its number. */
  readonly chords?: ReadonlyMap<number, string>;
  readonly barsASystem?: number;
  readonly systemsAPage?: number;
  /** False for a sheet without bar numbers. */
  readonly numbered?: boolean;
}

/** A4 in points. */
const [WIDTH, HEIGHT] = [595, 842];
const [LEFT, RIGHT, TOP] = [42, 560, 700];
const STAFF_GAP = 6;
const INK = rgb(0.1, 0.12, 0.15);

interface Fonts {
  readonly names: PDFFont;
  readonly figures: PDFFont;
}

function drawSystem(page: PDFPage, { names, figures }: Fonts, sheet: LeadSheet, first: number, y: number): void {
  const { bars, chords, barsASystem = 4, numbered = true } = sheet;
  const count = Math.min(barsASystem, bars - first + 1);
  const width = (RIGHT - LEFT) / barsASystem;
  const right = LEFT + width * count;
  for (let line = 0; line < 5; line += 1) {
    const at = y - line * STAFF_GAP;
    page.drawLine({ start: { x: LEFT, y: at }, end: { x: right, y: at }, thickness: 0.7, color: INK });
  }
  for (let i = 0; i <= count; i += 1) {
    const x = LEFT + i * width;
    const last = first + i - 1 === bars;
    page.drawLine({ start: { x, y }, end: { x, y: y - 4 * STAFF_GAP }, thickness: last ? 3 : 0.9, color: INK });
  }
  if (numbered && first > 1) page.drawText(String(first), { x: LEFT, y: y + 6, size: 9, font: figures, color: INK });
  for (let i = 0; i < count; i += 1) {
    const symbols = (chords?.get(first + i) ?? '').replaceAll(/[^\x20-\x7e]/g, '');
    if (symbols) page.drawText(symbols, { x: LEFT + i * width + 14, y: y + 8, size: 13, font: names, color: INK });
    // A rest, so that the bar does not look forgotten.
    page.drawRectangle({ x: LEFT + (i + 0.5) * width - 5, y: y - 2 * STAFF_GAP + 2, width: 10, height: 4, color: INK });
  }
}

/** Pages with the places of their systems. */
export interface MadeSheet {
  readonly bytes: Uint8Array;
  readonly pages: number;
  /** Height of a page by its width. */
  readonly aspect: number;
  /** Systems by their first bar: page from 0, and share of it above the staff. */
  readonly systems: readonly { readonly bar: number; readonly page: number; readonly top: number }[];
}

/** Pages of a song as a PDF. */
export async function leadSheet(sheet: LeadSheet): Promise<MadeSheet> {
  const { title, bars, barsASystem = 4, systemsAPage = 4 } = sheet;
  const made = await PDFDocument.create();
  // Fixed dates, so that equal sheets have equal bytes.
  made.setCreationDate(new Date(0));
  made.setModificationDate(new Date(0));
  const fonts = {
    names: await made.embedFont(StandardFonts.TimesRomanBold),
    figures: await made.embedFont(StandardFonts.TimesRomanItalic),
  };
  const systems = Math.ceil(bars / barsASystem);
  const apart = (TOP - 90) / systemsAPage;
  const places: { bar: number; page: number; top: number }[] = [];
  let page: PDFPage | undefined;
  for (let system = 0; system < systems; system += 1) {
    const onPage = system % systemsAPage;
    if (onPage === 0) {
      page = made.addPage([WIDTH, HEIGHT]);
      const number = made.getPageCount();
      if (number === 1) page.drawText(title, { x: LEFT, y: 770, size: 26, font: fonts.names, color: INK });
      page.drawText(String(number), { x: WIDTH / 2, y: 24, size: 9, font: fonts.figures, color: INK });
    }
    const [bar, y] = [system * barsASystem + 1, TOP - onPage * apart];
    drawSystem(page!, fonts, sheet, bar, y);
    places.push({ bar, page: made.getPageCount() - 1, top: (HEIGHT - y - 24) / HEIGHT });
  }
  return { bytes: await made.save(), pages: made.getPageCount(), aspect: HEIGHT / WIDTH, systems: places };
}
