import { FONTS, TOKENS } from './inks';

/** A client's note that is open at a bar. */
export interface NoteMark {
  readonly number: number;
  readonly bar: number;
  /** Distance from where the first mark of the bar is. */
  readonly place: number;
}

/** Half the width and the height of a mark, and how far its point hangs below it. */
const HALF = 8;
const HEIGHT = 13;
const POINT = 4;
/** Distance of the mark's middle from the bar line before it, on a ruler of bar numbers. */
export const BESIDE_NUMBER = 34;

/** A slip of paper with a point, and the note's number on it: a shape that nothing else on a chart has. */
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

/** Notes of the same bar are drawn beside each other, three at most. */
export function besideEachOther(marks: readonly Omit<NoteMark, 'place'>[]): readonly NoteMark[] {
  const before = new Map<number, number>();
  return marks.flatMap((mark) => {
    const place = before.get(mark.bar) ?? 0;
    before.set(mark.bar, place + 1);
    return place < 3 ? [{ ...mark, place: place * (2 * HALF + 3) }] : [];
  });
}
