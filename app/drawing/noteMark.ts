import { FONTS, TOKENS } from './inks';

/** A client's note that is open at a bar. */
export interface NoteMark {
  readonly number: number;
  readonly bar: number;
  /** Distance from where the first mark of the bar is. */
  readonly place: number;
}

const RADIUS = 8;
/** Distance of the mark's middle from the bar line before it, on a ruler of bar numbers. */
export const BESIDE_NUMBER = 34;

/** A filled disc with the note's number. */
export function drawNoteMark(c: CanvasRenderingContext2D, x: number, y: number, number: number): void {
  c.beginPath();
  c.arc(x, y, RADIUS, 0, 2 * Math.PI);
  c.fillStyle = TOKENS.copper;
  c.fill();
  c.fillStyle = TOKENS.sheet;
  c.font = `600 ${number > 99 ? 8 : 10}px ${FONTS.figures}`;
  c.textAlign = 'center';
  c.textBaseline = 'middle';
  c.fillText(String(number), x, y + 0.5);
  c.textAlign = 'start';
}

/** Notes of the same bar are drawn beside each other, three at most. */
export function besideEachOther(marks: readonly Omit<NoteMark, 'place'>[]): readonly NoteMark[] {
  const before = new Map<number, number>();
  return marks.flatMap((mark) => {
    const place = before.get(mark.bar) ?? 0;
    before.set(mark.bar, place + 1);
    return place < 3 ? [{ ...mark, place: place * (2 * RADIUS + 1) }] : [];
  });
}
