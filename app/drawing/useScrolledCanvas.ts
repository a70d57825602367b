import { ref, watch, type Ref, type WatchSource } from 'vue';
import { drawn, useKonva } from './useKonva';
import { useSize } from './useSize';

const NARROWEST = 320;
const LOWEST = 200;

/**
 * A canvas as large as its card, over a sheet that scrolls under it: only what is in sight is drawn, however long the
 * sheet. Drawn anew whenever one of `sources` changes.
 */
export function useScrolledCanvas(
  card: Ref<HTMLElement | null>,
  host: Ref<HTMLDivElement | null>,
  draw: (context: CanvasRenderingContext2D) => void,
  sources: () => readonly WatchSource[],
) {
  const { width, height } = useSize(card);
  const scrolled = ref(0);
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
  watch(
    () => [
      canvas.value,
      width.value,
      height.value,
      scrolled.value,
      ...sources().map((s) => (typeof s === 'function' ? s() : s.value)),
    ],
    () => {
      const stage = canvas.value?.stage;
      if (!stage || width.value === 0) return;
      const size = { width: Math.max(NARROWEST, width.value), height: Math.max(LOWEST, height.value) };
      // A stage that changes its size draws itself.
      if (stage.width() !== size.width || stage.height() !== size.height) stage.size(size);
      else canvas.value!.layers[0]!.batchDraw();
    },
  );
  return { width, height, scrolled };
}
