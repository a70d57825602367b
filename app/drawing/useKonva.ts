import Konva from 'konva';
import { FONTS } from './inks';
import { onBeforeUnmount, onMounted, shallowRef, type Ref } from 'vue';

export interface Canvas {
  readonly stage: Konva.Stage;
  readonly layers: readonly Konva.Layer[];
}

const DRAWN_WITH = [`italic 600 15px ${FONTS.names}`, `12px ${FONTS.figures}`, `12px ${FONTS.text}`];
const fontsHere = (): Promise<unknown> => Promise.all(DRAWN_WITH.map((font) => document.fonts.load(font)));

/** A Konva stage in an element, with some layers, gone with the component. */
export function useKonva(
  element: Ref<HTMLDivElement | null>,
  layers: number,
  ready: (canvas: Canvas) => void,
): Ref<Canvas | null> {
  const canvas = shallowRef<Canvas | null>(null);
  onMounted(() => {
    const stage = new Konva.Stage({ container: element.value!, width: 10, height: 10 });
    const made = Array.from({ length: layers }, () => new Konva.Layer({ listening: false }));
    made.forEach((layer) => stage.add(layer));
    canvas.value = { stage, layers: made };
    ready(canvas.value);
    // A canvas does not wait for fonts, and nothing else on the page may ask for these.
    void fontsHere().then(() => made.forEach((layer) => layer.batchDraw()));
  });
  onBeforeUnmount(() => canvas.value?.stage.destroy());
  return canvas;
}

/** A shape that is drawn by a function with the canvas's own context: thousands of notes are one shape. */
export const drawn = (draw: (context: CanvasRenderingContext2D) => void): Konva.Shape =>
  new Konva.Shape({
    listening: false,
    perfectDrawEnabled: false,
    sceneFunc: (context) => draw(context._context as CanvasRenderingContext2D),
  });
