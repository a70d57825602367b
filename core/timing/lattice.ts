import { barAt, barStart, meterAt, type MeterMap } from '../time/meter';
import { secondsAt, type TempoMap } from '../time/tempo';
import type { TickRange, Ticks } from '../time/units';
import { gridStep, type Grid } from './grid';
import { swung, type SwingOf } from './swing';

/** Maps that places in seconds are worked out with. */
export interface Clock {
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
}

/** The lines that onsets can be put to, by their time, in columns. */
export interface Lattice {
  readonly size: number;
  /** Tick of each line as written, without swing, by which it is named. */
  readonly tick: Float64Array;
  /** Tick of each line with its swing. */
  readonly at: Float64Array;
  readonly seconds: Float64Array;
  /** Grids of the recipe that it belongs to: 1 the first, 2 the second, 3 both. */
  readonly grids: Uint8Array;
  readonly bar: Int32Array;
  /** Number of the beat that a line is in, from the lattice's first. */
  readonly beat: Int32Array;
  /** Number of a line's place in the bar, the same in all bars of one meter. */
  readonly place: Int32Array;
  readonly places: number;
  /** Number of a line's place in its beat, the same in all beats, and the number of those places. */
  readonly phase: Int32Array;
  readonly phases: number;
  /** Depth of the place: 0 the bar, 1 a beat, 2 half of one, and so on; thirds lie between. */
  readonly depth: Float64Array;
}

/** The lines of a bar of one shape. */
interface Shape {
  readonly inBar: readonly number[];
  readonly grids: readonly number[];
  readonly depth: readonly number[];
  readonly beat: readonly number[];
  readonly place: readonly number[];
  readonly phase: readonly number[];
  readonly beats: number;
}

const isWhole = (x: number): boolean => Math.abs(x - Math.round(x)) < 1e-6;

/** Depth in the meter of a place, by what its beat must be divided by to reach it. */
function depthOf(inBar: Ticks, beat: Ticks): number {
  if (inBar === 0) return 0;
  if (isWhole(inBar / beat)) return 1;
  for (let [parts, depth] = [2, 2]; parts <= 16; [parts, depth] = [parts * 2, depth + 1])
    if (isWhole((inBar * parts) / beat)) return depth;
  for (let [parts, depth] = [3, 2.5]; parts <= 24; [parts, depth] = [parts * 2, depth + 1])
    if (isWhole((inBar * parts) / beat)) return depth;
  return 4.5;
}

/** Lines of two grids nearer than this are one line. */
const ONE_LINE: Ticks = 0.5;

const swings = (grid: Grid): boolean => grid.endsWith('straight') || grid.endsWith('dotted');

/** Number of a place, by its tick to the half: a new one where it is met first. */
function numberOf(at: Ticks, numbers: Map<number, number>): number {
  const key = Math.round(at * 2);
  if (!numbers.has(key)) numbers.set(key, numbers.size);
  return numbers.get(key)!;
}

/** @param places numbers of places in the bar @param phases numbers of places in the beat */
function shapeOf(
  grids: readonly Grid[],
  length: Ticks,
  beat: Ticks,
  places: Map<number, number>,
  phases: Map<number, number>,
): Shape {
  const own = grids.flatMap((grid, i) => {
    const step = gridStep(grid);
    return Array.from({ length: Math.ceil((length - ONE_LINE) / step) }, (_, n) => ({ inBar: n * step, mask: 1 << i }));
  });
  own.sort((a, b) => a.inBar - b.inBar);
  const shape = { inBar: [0], grids: [0], depth: [0], beat: [0] };
  for (const { inBar, mask } of own) {
    const last = shape.inBar.length - 1;
    if (inBar - shape.inBar[last]! < ONE_LINE) {
      shape.grids[last]! |= mask;
      continue;
    }
    shape.inBar.push(inBar);
    shape.grids.push(mask);
    shape.depth.push(depthOf(inBar, beat));
    shape.beat.push(Math.floor(inBar / beat + 1e-9));
  }
  const place = shape.inBar.map((inBar) => numberOf(inBar, places));
  const phase = shape.inBar.map((inBar, i) => numberOf(inBar - shape.beat[i]! * beat, phases));
  return { ...shape, place, phase, beats: Math.ceil(length / beat) };
}

/**
 * The lines of one grid, or of two, over a range and a bar on either side.
 * @param swing straight grids and dotted ones are swung by it; of the others the lines stay
 */
export function latticeOf(
  grids: readonly Grid[],
  { tempo, meter }: Clock,
  range: TickRange,
  swing: { readonly percent: number; readonly of: SwingOf },
): Lattice {
  const [places, phases] = [new Map<number, number>(), new Map<number, number>()];
  const shapes = new Map<string, Shape>();
  const bars: { readonly bar: number; readonly start: Ticks; readonly shape: Shape }[] = [];
  let size = 0;
  const last = barAt(meter, range.to) + 1;
  for (let n = barAt(meter, range.from) - 1; n <= last; n += 1) {
    const start = barStart(meter, n);
    const { ticksPerBeat, ticksPerBar } = meterAt(meter, start);
    const key = `${ticksPerBar} ${ticksPerBeat}`;
    const shape = shapes.get(key) ?? shapeOf(grids, ticksPerBar, ticksPerBeat, places, phases);
    shapes.set(key, shape);
    bars.push({ bar: n, start, shape });
    size += shape.inBar.length;
  }
  const column = () => new Float64Array(size);
  const whole = () => new Int32Array(size);
  const [tick, at, seconds, depth] = [column(), column(), column(), column()];
  const [bar, beat, place, phase] = [whole(), whole(), whole(), whole()];
  const masks = new Uint8Array(size);
  // A line that belongs to a grid that swings is swung, whatever else it belongs to: beats stay in any case.
  const swung12 = grids.reduce((mask, grid, i) => (swings(grid) ? mask | (1 << i) : mask), 0);
  let k = 0;
  let beats = 0;
  for (const own of bars) {
    const { shape, start } = own;
    for (let i = 0; i < shape.inBar.length; i += 1, k += 1) {
      tick[k] = start + shape.inBar[i]!;
      masks[k] = shape.grids[i]!;
      at[k] = masks[k]! & swung12 ? swung(meter, tick[k]!, swing.percent, swing.of) : tick[k]!;
      seconds[k] = secondsAt(tempo, at[k]!);
      bar[k] = own.bar;
      beat[k] = beats + shape.beat[i]!;
      place[k] = shape.place[i]!;
      phase[k] = shape.phase[i]!;
      depth[k] = shape.depth[i]!;
    }
    beats += shape.beats;
  }
  // Two grids of which one is swung can change the order of their lines.
  const order = inOrder(at) ? null : [...at.keys()].sort((a, b) => at[a]! - at[b]!);
  const sorted = <A extends Float64Array | Int32Array | Uint8Array>(all: A): A =>
    order ? (all.map((_, i) => all[order[i]!]!) as A) : all;
  return {
    size,
    places: places.size,
    phases: phases.size,
    tick: sorted(tick),
    at: sorted(at),
    seconds: sorted(seconds),
    depth: sorted(depth),
    bar: sorted(bar),
    beat: sorted(beat),
    place: sorted(place),
    phase: sorted(phase),
    grids: sorted(masks),
  };
}

function inOrder(all: Float64Array): boolean {
  for (let i = 1; i < all.length; i += 1) if (all[i]! < all[i - 1]!) return false;
  return true;
}
