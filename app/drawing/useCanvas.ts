import { onBeforeUnmount, onMounted, shallowRef, watch, type Ref } from 'vue';
import { FONTS, TOKENS } from './inks';

/** Draws a sheet anew, on a cleared canvas whose unit is one CSS pixel. */
export type Draw = (context: CanvasRenderingContext2D) => void;

/** Canvases that lie on each other, each drawn anew by itself. */
export interface Canvas {
  /** In CSS pixels. @returns whether it changed: then everything is drawn anew */
  readonly resize: (width: number, height: number) => boolean;
  /** Draws sheets anew in the next frame, however often they are asked for until then; all where none is said. */
  readonly redraw: (sheet?: number) => void;
}

const DRAWN_WITH = [`italic 600 15px ${FONTS.names}`, `12px ${FONTS.figures}`, `12px ${FONTS.text}`];
const fontsHere = (): Promise<unknown> => Promise.all(DRAWN_WITH.map((font) => document.fonts.load(font)));

/**
 * One canvas for each drawing, in an element, gone with the component. Thousands of notes are drawn in one go: nothing
 * on them is an object of its own.
 */
export function useCanvas(element: Ref<HTMLElement | null>, drawings: readonly Draw[]): Ref<Canvas | null> {
  const canvas = shallowRef<Canvas | null>(null);
  const stale = new Set<number>();
  let frame = 0;
  let gone = false;

  onMounted(() => {
    const host = element.value!;
    const sheets = drawings.map(() => {
      const sheet = document.createElement('canvas');
      sheet.style.cssText = 'position: absolute; inset: 0 auto auto 0; display: block';
      host.append(sheet);
      return sheet;
    });
    let size = { width: 0, height: 0 };

    function draw(): void {
      frame = 0;
      const ratio = window.devicePixelRatio || 1;
      for (const index of stale) {
        const context = sheets[index]!.getContext('2d')!;
        context.setTransform(ratio, 0, 0, ratio, 0, 0);
        context.clearRect(0, 0, size.width, size.height);
        drawings[index]!(context);
      }
      stale.clear();
    }
    function redraw(sheet?: number): void {
      if (gone || size.width === 0) return;
      for (const index of sheet === undefined ? sheets.keys() : [sheet]) stale.add(index);
      if (frame === 0) frame = requestAnimationFrame(draw);
    }
    function resize(width: number, height: number): boolean {
      if (size.width === width && size.height === height) return false;
      size = { width, height };
      const ratio = window.devicePixelRatio || 1;
      for (const sheet of sheets) {
        sheet.width = Math.round(width * ratio);
        sheet.height = Math.round(height * ratio);
        sheet.style.width = `${width}px`;
        sheet.style.height = `${height}px`;
      }
      // A canvas that changes its size is empty: it is drawn before it is shown.
      for (const index of sheets.keys()) stale.add(index);
      cancelAnimationFrame(frame);
      draw();
      return true;
    }
    canvas.value = { resize, redraw };
    // A canvas does not wait for fonts, and nothing else on the page may ask for these.
    void fontsHere().then(() => redraw());
  });
  watch(TOKENS, () => canvas.value?.redraw());
  onBeforeUnmount(() => {
    gone = true;
    cancelAnimationFrame(frame);
  });
  return canvas;
}

/** A drawing on paper that scrolls under the canvas. */
export const onPaper =
  (scrolled: Readonly<Ref<number>>, draw: Draw): Draw =>
  (c) => {
    c.save();
    c.translate(0, -scrolled.value);
    draw(c);
    c.restore();
  };
