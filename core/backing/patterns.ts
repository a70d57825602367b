import { barStart, meterAt, type MeterMap } from '../time/meter';
import { TICKS_PER_QUARTER, type TickRange, type Ticks } from '../time/units';

/** General MIDI drum keys used by the patterns. */
const KICK = 36;
const STICK = 37;
const SNARE = 38;
const CLOSED = 42;
const PEDAL = 44;
const OPEN = 46;
const CRASH = 49;
const RIDE = 51;
const SHAKER = 70;

/** Note of a drum pattern. */
export interface DrumHit {
  readonly at: Ticks;
  /** General MIDI drum key. */
  readonly key: number;
  /** 1 to 127. */
  readonly velocity: number;
}

/** Rhythms for sections, by their usual names. */
export const PATTERNS = [
  'straight',
  'light straight',
  'half-time',
  'four on the floor',
  'shuffle',
  'brushes',
  'waltz',
  'six-eight',
] as const;
export type Pattern = (typeof PATTERNS)[number];

interface Groove {
  /** Length of the groove in quarters. */
  readonly quarters: number;
  /** Place in the groove, in quarters; key; velocity. */
  readonly hits: readonly (readonly [number, number, number])[];
  /** Fill at the end of a section's last bar, in quarters before the bar's end. */
  readonly fill: readonly (readonly [number, number, number])[];
}

const every = (
  quarters: number,
  step: number,
  key: number,
  strong: number,
  weak: number,
  shift = 0,
): [number, number, number][] =>
  Array.from({ length: Math.round(quarters / step) }, (_, i) => [i * step + shift, key, i % 2 === 0 ? strong : weak]);

const TOMS: Groove['fill'] = [
  [1, SNARE, 84],
  [0.75, SNARE, 70],
  [0.5, 45, 88],
  [0.25, 43, 92],
];
const SOFT: Groove['fill'] = [
  [1, STICK, 70],
  [0.5, STICK, 78],
];
const LONG = 2 / 3;

const GROOVES: Readonly<Record<Pattern, Groove>> = {
  straight: {
    quarters: 4,
    hits: [
      [0, KICK, 104],
      [2, KICK, 96],
      [2.5, KICK, 80],
      [1, SNARE, 96],
      [3, SNARE, 100],
      ...every(4, 0.5, CLOSED, 72, 48),
    ],
    fill: TOMS,
  },
  'light straight': {
    quarters: 4,
    hits: [[0, KICK, 88], [2.5, KICK, 66], [1, STICK, 76], [3, STICK, 80], ...every(4, 0.5, SHAKER, 60, 40)],
    fill: SOFT,
  },
  'half-time': {
    quarters: 4,
    hits: [[0, KICK, 106], [1.5, KICK, 78], [2, SNARE, 104], ...every(4, 0.5, CLOSED, 66, 44)],
    fill: TOMS,
  },
  'four on the floor': {
    quarters: 4,
    hits: [
      ...every(4, 1, KICK, 104, 100),
      [1, SNARE, 86],
      [3, SNARE, 88],
      ...every(4, 1, OPEN, 58, 56, 0.5),
      ...every(4, 0.5, CLOSED, 56, 0),
    ],
    fill: TOMS,
  },
  shuffle: {
    quarters: 4,
    hits: [
      [0, KICK, 102],
      [2, KICK, 94],
      [1 + LONG, KICK, 72],
      [1, SNARE, 96],
      [3, SNARE, 98],
      ...every(4, 1, CLOSED, 74, 70),
      ...every(4, 1, CLOSED, 50, 48, LONG),
    ],
    fill: [
      [1, SNARE, 84],
      [1 - LONG, SNARE, 92],
    ],
  },
  brushes: {
    quarters: 4,
    hits: [
      [0, RIDE, 70],
      [1, RIDE, 78],
      [1 + LONG, RIDE, 56],
      [2, RIDE, 70],
      [3, RIDE, 78],
      [3 + LONG, RIDE, 56],
      [1, PEDAL, 70],
      [3, PEDAL, 70],
      [0, KICK, 58],
    ],
    fill: SOFT,
  },
  waltz: {
    quarters: 3,
    hits: [
      [0, KICK, 98],
      [1, STICK, 72],
      [2, STICK, 76],
      [0, RIDE, 62],
      [1, RIDE, 54],
      [2, RIDE, 56],
    ],
    fill: SOFT,
  },
  'six-eight': {
    quarters: 3,
    hits: [
      [0, KICK, 100],
      [1.5, SNARE, 90],
      [2.5, KICK, 64],
      ...Array.from({ length: 6 }, (_, i): [number, number, number] => [i / 2, CLOSED, i % 3 === 0 ? 70 : 48]),
    ],
    fill: [
      [1, SNARE, 76],
      [0.5, 45, 86],
    ],
  },
};

/**
 * Pattern over whole bars. In a bar of another length it restarts with the bar, and is cut at its end or repeated. A
 * cymbal marks the first bar, and a fill ends the last of two or more.
 */
export function patternHits(pattern: Pattern, range: TickRange, meter: MeterMap, firstBar: number): DrumHit[] {
  const groove = GROOVES[pattern];
  const round = groove.quarters * TICKS_PER_QUARTER;
  const hits: DrumHit[] = [{ at: range.from, key: pattern === 'brushes' ? RIDE : CRASH, velocity: 74 }];
  for (let bar = firstBar; ; bar += 1) {
    const start = barStart(meter, bar);
    if (start >= range.to) break;
    const length = meterAt(meter, start).ticksPerBar;
    const last = start + length >= range.to && bar > firstBar;
    const fillFrom = last ? length - Math.max(...groove.fill.map(([before]) => before)) * TICKS_PER_QUARTER : length;
    for (let from = 0; from < length; from += round) {
      for (const [quarters, key, velocity] of groove.hits) {
        const at = from + quarters * TICKS_PER_QUARTER;
        if (velocity > 0 && at < fillFrom) hits.push({ at: start + at, key, velocity });
      }
    }
    if (!last) continue;
    for (const [before, key, velocity] of groove.fill) {
      const at = length - before * TICKS_PER_QUARTER;
      if (at >= 0) hits.push({ at: start + at, key, velocity });
    }
  }
  return hits.sort((a, b) => a.at - b.at);
}
