import { pedalBars, pointsOf, scaleOf, PEDAL, type Point } from '~~/core/editing/lanes';
import type { ControlEvent, Lane } from '~~/core/performance/controls';
import type { TickRange } from '~~/core/time/units';
import { FONTS, TOKENS } from '~/drawing/inks';
import { LEFT, laneBand, rollX, type RollFrame } from './rollFrame';
import { clipped, inSight, LOUDEST, right, type Context } from './rollSheet';

/** Draws one lane: the pedal as bars, other controllers as steps. */
export function drawLane(
  c: Context,
  frame: RollFrame,
  lane: Lane,
  controls: readonly ControlEvent[],
  chosen: TickRange | null,
): void {
  const points = pointsOf(controls, lane);
  clipped(c, frame, () => (lane === PEDAL ? drawBars(c, frame, points, chosen) : drawHeld(c, frame, lane, points)));
}

function drawBars(c: Context, frame: RollFrame, points: readonly Point[], chosen: TickRange | null): void {
  const { top, height } = laneBand(frame, PEDAL);
  for (const { from, to, depth } of pedalBars(points, frame.view.to)) {
    if (!inSight(frame, from, to)) continue;
    const x = rollX(frame, from);
    const tall = (height - 6) * Math.max(0.5, depth / LOUDEST);
    c.fillStyle = TOKENS.wave;
    c.fillRect(x, top + height - 3 - tall, Math.max(2, rollX(frame, to) - x - 1), tall);
    // A half-pedal is drawn lower, with its depth as a number.
    if (depth < LOUDEST && rollX(frame, to) - x > 30) {
      c.fillStyle = TOKENS.ink2;
      c.font = `10px ${FONTS.figures}`;
      c.textBaseline = 'middle';
      c.fillText(String(depth), x + 4, top + height - 3 - tall / 2);
    }
    if (chosen && chosen.from === from) {
      c.strokeStyle = TOKENS.ink;
      c.lineWidth = 2;
      c.strokeRect(x, top + 2, Math.max(2, rollX(frame, to) - x - 1), height - 4);
    }
  }
}

function drawHeld(c: Context, frame: RollFrame, lane: Lane, points: readonly Point[]): void {
  const { top, height } = laneBand(frame, lane);
  const { most, rest } = scaleOf(lane);
  const y = (value: number): number => top + height - 2 - (value / most) * (height - 4);
  c.fillStyle = TOKENS.ruleSoft;
  c.fillRect(LEFT, y(rest), right(frame) - LEFT, 1);
  const before = points.findLast(([at]) => at <= frame.view.from);
  let value = before ? before[1] : rest;
  c.beginPath();
  c.moveTo(LEFT, y(value));
  for (const [at, next] of points) {
    if (at <= frame.view.from) continue;
    if (at > frame.view.to) break;
    const x = rollX(frame, at);
    c.lineTo(x, y(value));
    c.lineTo(x, y(next));
    value = next;
  }
  c.lineTo(right(frame), y(value));
  c.strokeStyle = TOKENS.ink2;
  c.lineWidth = 1.5;
  c.stroke();
}

/** Value at a height of a lane. */
export function valueAtY(frame: RollFrame, lane: Lane, y: number): number {
  const { top, height } = laneBand(frame, lane);
  const share = 1 - Math.min(1, Math.max(0, (y - top - 2) / (height - 4)));
  return Math.round(share * scaleOf(lane).most);
}
/** Draws a lane while the pointer draws in it. */
export function drawDrawing(c: Context, frame: RollFrame, lane: Lane, points: readonly Point[]): void {
  if (lane === PEDAL) return clipped(c, frame, () => drawBars(c, frame, points, null));
  const { top, height } = laneBand(frame, lane);
  const { most } = scaleOf(lane);
  clipped(c, frame, () => {
    c.beginPath();
    points.forEach(([at, value], i) => {
      const [x, y] = [rollX(frame, at), top + height - 2 - (value / most) * (height - 4)];
      if (i === 0) c.moveTo(x, y);
      else c.lineTo(x, y);
    });
    c.strokeStyle = TOKENS.copper;
    c.lineWidth = 2;
    c.stroke();
  });
}
