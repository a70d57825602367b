import { tryOnScopeDispose } from '@vueuse/core';
import { watch, watchEffect } from 'vue';
import type { Milliseconds } from '~~/core/time/units';

/** Rest after a drawing: every other frame of most screens, for each costs the whole page its turn. */
const REST: Milliseconds = 25;

/** Drawings of what moves: all are made in the same frame. */
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
 * Draws some thirty times a second while something moves, and otherwise once whenever what it draws has changed: a page
 * that shows nothing new takes no time.
 * @param moves whether what is drawn goes by the clock; a reactive getter
 * @param draw what it asks while nothing moves must be reactive
 */
export function useFrames(moves: () => boolean, draw: () => void): void {
  // A function of its own: the same one may be given twice.
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
