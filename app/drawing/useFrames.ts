import { tryOnScopeDispose, useThrottleFn } from '@vueuse/core';
import { watch, watchEffect } from 'vue';
import type { Milliseconds } from '~~/core/time/units';

/** Least time between drawings, every other frame of most screens, as each costs the whole page a turn. */
const REST: Milliseconds = 29;

/** Drawings that move, with the turns from one to the next; those of a turn are made in the same frame. */
const drawings = new Map<() => void, number>();
let waits: ReturnType<typeof setTimeout> | undefined;
let turns = 0;

function turn(): void {
  waits = undefined;
  turns += 1;
  for (const [draw, every] of drawings) if (turns % every === 0) draw();
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
 * @param every turns from one drawing to the next
 */
export function useFrames(moves: () => boolean, draw: () => void, every = 1): void {
  // A wrapper, as the same function may be passed twice.
  const drawing = (): void => draw();
  watch(
    moves,
    (now) => {
      if (now) drawings.set(drawing, every);
      else drawings.delete(drawing);
      next();
    },
    { immediate: true },
  );
  watchEffect(() => !moves() && draw(), { flush: 'post' });
  tryOnScopeDispose(() => drawings.delete(drawing));
}

/**
 * Turns from one drawing of a meter to the next. A frame costs as much as the area around all that changed in it, so
 * meters, at the edges of a page, are drawn in fewer frames than a playhead; their peaks come no faster.
 */
export const METER_TURNS = 2;

/** Interval at which a number that moves can be read: each new text costs the page a layout. */
const READABLE: Milliseconds = 250;

/** Function that writes a moving number as text, at a pace that can be read; the last number is always written. */
export const useReadablePace = (write: (value: number) => void): ((value: number) => void) => {
  const paced = useThrottleFn(write, READABLE, true);
  return (value) => void paced(value);
};
