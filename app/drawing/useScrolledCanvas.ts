import { useElementSize } from '@vueuse/core';
import { ref, watch, type Ref, type WatchSource } from 'vue';
import { onPaper, useCanvas, type Draw } from './useCanvas';

const NARROWEST = 320;
const LOWEST = 200;

/**
 * Canvas as large as its card, over a sheet that scrolls beneath it: only the visible part is drawn. `follow` draws it
 * once all of its sources exist, and again whenever one changes.
 */
export function useScrolledCanvas(card: Ref<HTMLElement | null>, host: Ref<HTMLElement | null>) {
  const { width, height } = useElementSize(card);
  const scrolled = ref(0);
  let draw: Draw = () => {};
  const canvas = useCanvas(host, [onPaper(scrolled, (c) => draw(c))]);

  function redraw(): void {
    if (!canvas.value || width.value === 0) return;
    const size = [Math.max(NARROWEST, Math.floor(width.value)), Math.max(LOWEST, Math.floor(height.value))] as const;
    if (!canvas.value.resize(...size)) canvas.value.redraw();
  }

  function follow(sources: readonly WatchSource[], drawing: Draw): void {
    draw = drawing;
    watch([canvas, width, height, scrolled, ...sources], redraw);
  }

  return { width, height, scrolled, follow };
}
