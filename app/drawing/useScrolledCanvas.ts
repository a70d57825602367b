import { useElementSize } from '@vueuse/core';
import { ref, watch, type Ref, type WatchSource } from 'vue';
import { drawn, useKonva } from './useKonva';

const NARROWEST = 320;
const LOWEST = 200;

/**
 * A canvas as large as its card, over a sheet that scrolls under it: only what is in sight is drawn, however long the
 * sheet. What is drawn is said once everything that it is drawn from is there: `follow` draws it now, and anew whenever
 * one of the sources changes.
 */
export function useScrolledCanvas(card: Ref<HTMLElement | null>, host: Ref<HTMLDivElement | null>) {
  const { width, height } = useElementSize(card);
  const scrolled = ref(0);
  let draw: (context: CanvasRenderingContext2D) => void = () => {};
  const canvas = useKonva(host, 1, ({ layers: [base] }) => {
    base!.add(
      drawn((c) => {
        c.save();
        c.translate(0, -scrolled.value);
        draw(c);
        c.restore();
      }),
    );
  });

  function redraw(): void {
    const stage = canvas.value?.stage;
    if (!stage || width.value === 0) return;
    const size = {
      width: Math.max(NARROWEST, Math.floor(width.value)),
      height: Math.max(LOWEST, Math.floor(height.value)),
    };
    // A stage that changes its size draws itself.
    if (stage.width() !== size.width || stage.height() !== size.height) stage.size(size);
    else canvas.value!.layers[0]!.batchDraw();
  }

  function follow(sources: readonly WatchSource[], drawing: (context: CanvasRenderingContext2D) => void): void {
    draw = drawing;
    watch([canvas, width, height, scrolled, ...sources], redraw);
  }

  return { width, height, scrolled, follow };
}
