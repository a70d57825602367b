const BLACK = new Set([1, 3, 6, 8, 10]);
const isBlack = (key: number): boolean => BLACK.has(key % 12);
/** Width of a black key, and its overlap with the white key before it, in widths of a white key. */
const BLACK_WIDTH = 0.62;
const BLACK_BEFORE = 0.31;

export interface KeyPlace {
  /** MIDI key, 0 to 127. */
  readonly key: number;
  readonly black: boolean;
  /** Place and width as CSS, in percent of the whole. */
  readonly style: { readonly left: string; readonly width: string };
}

/** Layout of the keys of a piano from `lowest` to `highest`, which are white. */
export function keyLayout(lowest: number, highest: number): KeyPlace[] {
  const all = Array.from({ length: highest - lowest + 1 }, (_, i) => lowest + i);
  const width = 100 / all.filter((key) => !isBlack(key)).length;
  let before = 0;
  return all.map((key) => {
    const black = isBlack(key);
    const at = before - (black ? BLACK_BEFORE : 0);
    if (!black) before += 1;
    return { key, black, style: { left: `${at * width}%`, width: `${width * (black ? BLACK_WIDTH : 1)}%` } };
  });
}
