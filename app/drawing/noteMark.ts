import { FONTS, TOKENS } from './inks';

/** Mark for an open note of the client's at a bar. */
export interface NoteMark {
  readonly number: number;
  readonly bar: number;
  /** Distance from the place of the bar's first mark. */
  readonly place: number;
}

/** Half width and height of a mark, and the height of its point. */
const HALF = 8;
const HEIGHT = 13;
const POINT = 4;
/** Distance of a mark's centre from the bar line, on a ruler of bar numbers. */
export const BESIDE_NUMBER = 34;

/** Draws a slip of paper with a point and the note's number, a shape used for nothing else. */
export function drawNoteMark(c: CanvasRenderingContext2D, x: number, y: number, number: number): void {
  const [left, top] = [Math.round(x - HALF) + 0.5, Math.round(y - HEIGHT / 2) + 0.5];
  c.beginPath();
  c.moveTo(left, top);
  c.lineTo(left + 2 * HALF, top);
  c.lineTo(left + 2 * HALF, top + HEIGHT);
  c.lineTo(left + POINT + 3, top + HEIGHT);
  c.lineTo(left + 2, top + HEIGHT + POINT);
  c.lineTo(left + 2, top + HEIGHT);
  c.lineTo(left, top + HEIGHT);
  c.closePath();
  c.fillStyle = TOKENS.sheet;
  c.fill();
  c.strokeStyle = TOKENS.copperInk;
  c.lineWidth = 1.5;
  c.stroke();
  c.lineWidth = 1;
  c.fillStyle = TOKENS.copperInk;
  c.font = `700 ${number > 99 ? 8 : 10}px ${FONTS.figures}`;
  c.textAlign = 'center';
  c.textBaseline = 'middle';
  c.fillText(String(number), left + HALF, top + HEIGHT / 2 + 0.5);
  c.textAlign = 'start';
}

/** Places marks of one bar beside each other, three at most. */
export function besideEachOther(marks: readonly Omit<NoteMark, 'place'>[]): readonly NoteMark[] {
  const before = new Map<number, number>();
  return marks.flatMap((mark) => {
    const place = before.get(mark.bar) ?? 0;
    before.set(mark.bar, place + 1);
    return place < 3 ? [{ ...mark, place: place * (2 * HALF + 3) }] : [];
  });
}
