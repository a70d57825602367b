import type * as Pdf from 'pdfjs-dist';
import type { PDFDocumentProxy } from 'pdfjs-dist';
import { DamagedFile } from '~~/core/files/damaged';
import PdfWorker from 'pdfjs-dist/build/pdf.worker.min.mjs?worker';

/** URLs of fonts and tables that pages may need; they ship with the program. */
const ASSETS = {
  cMapUrl: '/pdf/cmaps/',
  cMapPacked: true,
  standardFontDataUrl: '/pdf/standard_fonts/',
  wasmUrl: '/pdf/wasm/',
  iccUrl: '/pdf/iccs/',
};

type Library = typeof Pdf;
let library: Promise<Library> | undefined;
/** PDF library with its worker, loaded with the first page. */
function pdfLibrary(): Promise<Library> {
  library ??= import('pdfjs-dist').then((made) => {
    made.GlobalWorkerOptions.workerPort = new PdfWorker();
    return made;
  });
  library.catch(() => {
    library = undefined;
  });
  return library;
}

/** Opens a PDF from bytes, or from a URL that is read as needed. @throws DamagedFile */
export async function openPdf(source: Uint8Array | string): Promise<PDFDocumentProxy> {
  const { getDocument } = await pdfLibrary();
  try {
    return await getDocument({ ...(typeof source === 'string' ? { url: source } : { data: source }), ...ASSETS })
      .promise;
  } catch (error) {
    const { name } = error as Error;
    if (name === 'PasswordException') throw new DamagedFile('The PDF is locked with a password.');
    throw new DamagedFile('The PDF is damaged or cut short, so its pages cannot be read.');
  }
}

/** Texts of a page with their places, as shares of its width and height from the top left. */
export async function textsOf(
  pdf: PDFDocumentProxy,
  index: number,
): Promise<{ readonly text: string; readonly x: number; readonly y: number }[]> {
  const page = await pdf.getPage(index + 1);
  const { width, height, transform } = page.getViewport({ scale: 1 });
  const [a, b, c, d, e, f] = transform as [number, number, number, number, number, number];
  const { items } = await page.getTextContent();
  return items.flatMap((item) => {
    if (!('str' in item) || item.str.trim() === '') return [];
    const [x, y] = [item.transform[4] as number, item.transform[5] as number];
    return [{ text: item.str.trim(), x: (a * x + c * y + e) / width, y: (b * x + d * y + f) / height }];
  });
}

/** Draws a page at a width in device pixels, on a canvas of its own. */
export async function drawnPage(pdf: PDFDocumentProxy, index: number, width: number): Promise<HTMLCanvasElement> {
  const page = await pdf.getPage(index + 1);
  const viewport = page.getViewport({ scale: width / page.getViewport({ scale: 1 }).width });
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(viewport.width);
  canvas.height = Math.round(viewport.height);
  await page.render({ canvas, viewport }).promise;
  return canvas;
}
