import type { Ticks } from '~~/core/time/units';
import type { Box } from '~/drawing/pixels';
import { LEFT, RIGHT, type RollFrame } from './rollFrame';

export type Context = CanvasRenderingContext2D;

/** The highest value of a controller or a velocity. */
export const LOUDEST = 127;

export const right = (frame: RollFrame): number => frame.width - RIGHT;

/** Area of the notes and lanes. */
export const sheetOf = (frame: RollFrame): Box => ({
  ...{ x: LEFT - 1, y: 0, width: right(frame) - LEFT + 2, height: frame.height },
});

/** Clips drawing to that area. */
export function clipped(c: Context, frame: RollFrame, draw: () => void): void {
  const { x, y, width, height } = sheetOf(frame);
  c.save();
  c.beginPath();
  c.rect(x, y, width, height);
  c.clip();
  draw();
  c.restore();
}

/** First note by start that can be in view; long notes from before are in the rest, which is searched too. */
export const inSight = (frame: RollFrame, start: Ticks, end: Ticks): boolean =>
  start <= frame.view.to && end >= frame.view.from;
