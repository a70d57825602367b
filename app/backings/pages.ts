import { systemsFrom, type TextOnPage } from '~~/core/client/sheet';
import type { SheetPage, System } from '~~/core/document/sheet';
import { DamagedFile } from '~~/core/files/damaged';
import { MOST_SHEET_PAGES } from '~~/core/vocabulary/limits';
import { openPdf, textsOf } from '~/drawing/pdf';

/** Pages read from a file, not stored yet. */
export interface ReadPages {
  readonly pages: readonly Omit<SheetPage, 'file'>[];
  /** Systems found by the page's printed bar numbers. */
  readonly systems: readonly System[];
}

/** Number of pages that are searched for bar numbers. */
const MOST_SEARCHED = 60;

async function pagesOfPdf(bytes: Uint8Array, bars: number): Promise<ReadPages> {
  const pdf = await openPdf(bytes);
  try {
    if (pdf.numPages > MOST_SHEET_PAGES)
      throw new DamagedFile(`The PDF has ${pdf.numPages} pages; a sheet has at most ${MOST_SHEET_PAGES}.`);
    const pages: Omit<SheetPage, 'file'>[] = [];
    const texts: TextOnPage[] = [];
    for (let index = 0; index < pdf.numPages; index += 1) {
      const { width, height } = (await pdf.getPage(index + 1)).getViewport({ scale: 1 });
      const id = crypto.randomUUID();
      pages.push({ id, page: index, aspect: Math.min(20, Math.max(0.05, height / width)) });
      if (index < MOST_SEARCHED) texts.push(...(await textsOf(pdf, index)).map((t) => ({ ...t, page: id })));
    }
    return {
      pages,
      systems: systemsFrom(
        texts,
        pages.map((p) => p.id),
        bars,
      ),
    };
  } finally {
    await pdf.loadingTask.destroy();
  }
}

async function pageOfPicture(file: File): Promise<ReadPages> {
  const picture = await createImageBitmap(file).catch(() => {
    throw new DamagedFile('The picture is damaged or cut short, so it cannot be shown.');
  });
  const { width, height } = picture;
  picture.close();
  return {
    pages: [{ id: crypto.randomUUID(), page: 0, aspect: Math.min(20, Math.max(0.05, height / width)) }],
    systems: [],
  };
}

/**
 * Reads the pages of a PDF or picture without storing anything.
 * @param bars length of the song: larger numbers are no bar numbers
 * @throws DamagedFile
 */
export const readPages = async (file: File, isPdf: boolean, bars: number): Promise<ReadPages> =>
  isPdf ? pagesOfPdf(new Uint8Array(await file.arrayBuffer()), bars) : pageOfPicture(file);
