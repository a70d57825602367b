import type { PDFDocumentProxy } from 'pdfjs-dist';
import type { SheetPage } from '~~/core/document/sheet';
import { drawnPage, openPdf } from '~/drawing/pdf';

/** File that pages are drawn from. */
type Source =
  | { readonly type: 'pdf'; readonly pdf: PDFDocumentProxy }
  | { readonly type: 'picture'; readonly picture: ImageBitmap };

/** Number of files that stay open, the latest used. */
const MOST_OPEN = 6;
const open = new Map<string, Promise<Source>>();

async function fetched(file: string): Promise<Source> {
  const address = `/api/audio/${file}`;
  const head = await fetch(address, { headers: { range: 'bytes=0-0' } });
  if (!head.ok) throw new Error('The page could not be fetched. It is not in the data folder.');
  if (head.headers.get('content-type') === 'application/pdf') return { type: 'pdf', pdf: await openPdf(address) };
  const whole = await fetch(address);
  return { type: 'picture', picture: await createImageBitmap(await whole.blob()) };
}

function sourceOf(file: string): Promise<Source> {
  const there = open.get(file) ?? fetched(file);
  // Inserted again, so that the latest used is the last to be closed.
  open.delete(file);
  open.set(file, there);
  there.catch(() => open.delete(file));
  for (const [old, source] of [...open].slice(0, Math.max(0, open.size - MOST_OPEN))) {
    open.delete(old);
    void source.then((s) => (s.type === 'pdf' ? s.pdf.loadingTask.destroy() : s.picture.close()));
  }
  return there;
}

/** Draws a page at a width in device pixels. @throws with the reason in words */
export async function drawnSheetPage({ file, page, aspect }: SheetPage, width: number): Promise<HTMLCanvasElement> {
  const source = await sourceOf(file);
  if (source.type === 'pdf') return drawnPage(source.pdf, page, width);
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(width);
  canvas.height = Math.round(width * aspect);
  const context = canvas.getContext('2d')!;
  context.imageSmoothingQuality = 'high';
  context.drawImage(source.picture, 0, 0, canvas.width, canvas.height);
  return canvas;
}
