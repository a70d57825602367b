import { onBeforeUnmount, onMounted, shallowRef, watch, type Ref } from 'vue';
import { FONTS, TOKENS } from './inks';

/** Draws a sheet on a cleared canvas whose unit is one CSS pixel. */
export type Draw = (context: CanvasRenderingContext2D) => void;

/** Stack of canvases, each redrawn by itself. */
export interface Canvas {
  /** Sets the size in CSS pixels. @returns true if it changed, which redraws everything */
  readonly resize: (width: number, height: number) => boolean;
  /** Redraws a sheet, or all, in the next frame, once however often it is called. */
  readonly redraw: (sheet?: number) => void;
}

const DRAWN_WITH = [`italic 600 15px ${FONTS.names}`, `12px ${FONTS.figures}`, `12px ${FONTS.text}`];
const fontsHere = (): Promise<unknown> => Promise.all(DRAWN_WITH.map((font) => document.fonts.load(font)));

/**
 * Makes a canvas for each sheet in an element, for the life of the component. Thousands of notes are drawn in one go,
 * as none is an element of its own.
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
      // A resized canvas is empty until it is drawn.
      for (const index of sheets.keys()) stale.add(index);
      cancelAnimationFrame(frame);
      draw();
      return true;
    }
    canvas.value = { resize, redraw };
    // A canvas does not load fonts by itself.
    void fontsHere().then(() => redraw());
  });
  watch(TOKENS, () => canvas.value?.redraw());
  onBeforeUnmount(() => {
    gone = true;
    cancelAnimationFrame(frame);
  });
  return canvas;
}

/** Wraps a drawing of paper that scrolls under the canvas. */
export const onPaper =
  (scrolled: Readonly<Ref<number>>, draw: Draw): Draw =>
  (c) => {
    c.save();
    c.translate(0, -scrolled.value);
    draw(c);
    c.restore();
  };
