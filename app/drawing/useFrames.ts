import { tryOnScopeDispose } from '@vueuse/core';
import { watch, watchEffect } from 'vue';
import type { Milliseconds } from '~~/core/time/units';

/** Least time between drawings, every other frame of most screens, as each costs the whole page a turn. */
const REST: Milliseconds = 25;

/** Drawings that move, all made in the same frame. */
const drawings = new Set<() => void>();
let waits: ReturnType<typeof setTimeout> | undefined;

function turn(): void {
  waits = undefined;
  for (const draw of drawings) draw();
  next();
}
function next(): void {
  if (drawings.size > 0) waits ??= setTimeout(() => requestAnimationFrame(turn), REST);
}

/**
 * Draws about thirty times a second while something moves, and otherwise once after a change, so that a page at rest
 * costs nothing.
 * @param moves reactive getter, true while the drawing follows the clock
 * @param draw reads reactive values only, but for the clock
 */
export function useFrames(moves: () => boolean, draw: () => void): void {
  // A wrapper, as the same function may be passed twice.
  const drawing = (): void => draw();
  watch(
    moves,
    (now) => {
      if (now) drawings.add(drawing);
      else drawings.delete(drawing);
      next();
    },
    { immediate: true },
  );
  watchEffect(() => !moves() && draw(), { flush: 'post' });
  tryOnScopeDispose(() => drawings.delete(drawing));
}
