import { barAt, barStart, type MeterMap } from '../time/meter';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';

const DIVISIONS = [4, 8, 16, 32, 64] as const;
const KINDS = ['straight', 'triplet', 'dotted', 'quintuplet'] as const;

export type Division = (typeof DIVISIONS)[number];
export type Kind = (typeof KINDS)[number];
/** "16 straight", "8 triplet" and so on. */
export type Grid = `${Division} ${Kind}`;

export const GRIDS: readonly Grid[] = DIVISIONS.flatMap((d) => KINDS.map((k): Grid => `${d} ${k}`));

/**
 * Length against the straight note of the same name: three triplets, or five quintuplets, in the time of two or four.
 */
const FACTOR: Readonly<Record<Kind, number>> = { straight: 1, triplet: 2 / 3, dotted: 3 / 2, quintuplet: 4 / 5 };
const WORDS: Readonly<Record<Division, string>> = {
  4: 'quarters',
  8: 'eighths',
  16: 'sixteenths',
  32: 'thirty-seconds',
  64: 'sixty-fourths',
};

const parts = (grid: Grid): [Division, Kind] => {
  const [division, kind] = grid.split(' ');
  return [Number(division) as Division, kind as Kind];
};

const STEPS = new Map(
  GRIDS.map((grid) => {
    const [division, kind] = parts(grid);
    return [grid, ((TICKS_PER_QUARTER * 4) / division) * FACTOR[kind]];
  }),
);
/**
 * The distance between two lines of the grid.
 * @example gridStep('16 straight') // 240
 */
export const gridStep = (grid: Grid): Ticks => STEPS.get(grid)!;

/** Words for a grid: "sixteenths", "eighth triplets". */
export function gridWords(grid: Grid): string {
  const [division, kind] = parts(grid);
  const plain = WORDS[division];
  if (kind === 'straight') return plain;
  return kind === 'dotted' ? `dotted ${plain}` : `${plain.slice(0, -1)} ${kind}s`;
}

/**
 * The line nearest to a tick. Lines are counted from each bar's start, and each bar line is one.
 * @example nearestGridPoint('8 straight', meterMap([{ bar: 1, beats: 4, unit: 4 }]), 300) // 480
 */
export function nearestGridPoint(grid: Grid, meter: MeterMap, tick: Ticks): Ticks {
  const bar = barAt(meter, tick);
  const start = barStart(meter, bar);
  const next = barStart(meter, bar + 1);
  const step = gridStep(grid);
  const line = start + Math.round((tick - start) / step) * step;
  // In a meter that the grid does not divide, the last line may lie nearer to, or past, the bar line.
  if (line >= next || next - tick <= Math.abs(tick - line)) return next;
  return line;
}
