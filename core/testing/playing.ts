/** Performances with nothing rolling, made up by rule, for tests and figures. Not part of the program. */
import { seeded } from '../random';
import type { PlayedNote } from '../lookback/playing';

export const STYLES = ['chords', 'arpeggio', 'melody', 'waltz', 'swing'] as const;
export type Style = (typeof STYLES)[number];

export interface Manner {
  readonly style: Style;
  readonly bpm: number;
  readonly bars: number;
  /** Standard deviation in milliseconds. */
  readonly looseness: number;
  /** Change of the tempo up to the end, as a share. */
  readonly drift: number;
  readonly seed: number;
}

export interface Performance {
  readonly notes: readonly PlayedNote[];
  /** Time of the first down-beat followed by a whole bar. */
  readonly one: number;
  readonly beatsPerBar: number;
  /** Mean tempo in quarters a minute. */
  readonly bpm: number;
}

/** Note in beats: start, length, key, velocity. */
interface Written {
  readonly at: number;
  readonly length: number;
  readonly key: number;
  readonly velocity: number;
}
type Random = ReturnType<typeof seeded>;

const ROOTS = [48, 45, 41, 43, 50, 40];
const chordOf = (root: number): number[] => {
  const third = [45, 50, 40].includes(root) ? 3 : 4;
  return [root + 12, root + 12 + third, root + 19];
};
const accent = (random: Random, strong: boolean): number =>
  Math.round(Math.max(30, Math.min(120, 72 + (strong ? 9 : 0) + random.normal(7))));

/** Block chords in quarters, in halves with a push, or long and short, with bass on the strong ones. */
function chords(random: Random, bars: number): Written[] {
  const rhythm = [
    [0, 1, 2, 3],
    [0, 1, 2, 3],
    [0, 2, 3],
    [0, 1.5, 2, 3],
    [0, 2, 2.5, 3],
  ][random.integer(0, 4)]!;
  return Array.from({ length: bars }, (_, bar) => {
    const root = ROOTS[(bar * 2 + random.integer(0, 1)) % ROOTS.length]!;
    return rhythm.flatMap((beat, i) => {
      const length = ((rhythm[i + 1] ?? 4) - beat) * 0.9;
      const strong = beat === 0;
      const keys = [...chordOf(root), ...(beat === 0 || (beat === 2 && random.unit() < 0.5) ? [root] : [])];
      return keys.map((key) => ({ at: bar * 4 + beat, length, key, velocity: accent(random, strong) }));
    });
  }).flat();
}

/** Even broken chords with no accents; slow ones are played in sixteenths, as hands do. */
function arpeggio(random: Random, bars: number, bpm: number): Written[] {
  const step = bpm < 78 ? 0.25 : 0.5;
  const shape = [[0, 1, 2, 1], [0, 2, 1, 2], [0, 1, 2, 3, 2, 1, 0, 1].map((i) => i)][random.integer(0, 2)]!;
  const velocity = () => Math.round(70 + random.normal(5));
  return Array.from({ length: bars }, (_, bar) => {
    const root = ROOTS[(bar + random.integer(0, 2)) % ROOTS.length]!;
    const tones = [root, ...chordOf(root)];
    return Array.from({ length: 4 / step }, (__, i): Written => {
      const first = i === 0 || (step === 0.25 && i === 8 && random.unit() < 0.5);
      return {
        at: bar * 4 + i * step,
        length: step * 0.95,
        key: first ? tones[0]! : tones[1 + (shape[i % shape.length]! % 3)]!,
        velocity: velocity(),
      };
    });
  }).flat();
}

/** A single line in quarters, eighths and halves, that begins with a pick-up. */
function melody(random: Random, bars: number): Written[] {
  const cells = [
    [0, 1, 2, 3],
    [0, 1, 2, 2.5, 3],
    [0, 0.5, 1, 2, 3],
    [0, 2, 3],
    [0, 1.5, 2, 3],
    [0, 1, 2],
  ];
  const scale = [60, 62, 64, 65, 67, 69, 71, 72, 74, 76];
  let place = 4;
  const next = () => scale[(place = Math.max(0, Math.min(scale.length - 1, place + random.integer(-2, 2))))]!;
  const pickup = [[-1], [-1, -0.5], [-0.5]][random.integer(0, 2)]!;
  const starts = [
    ...pickup,
    ...Array.from({ length: bars }, (_, bar) =>
      (bar === bars - 1 ? [0, 2] : cells[random.integer(0, cells.length - 1)]!).map((b) => bar * 4 + b),
    ).flat(),
  ];
  return starts.map((at, i) => ({
    at,
    length: ((starts[i + 1] ?? at + 2) - at) * 0.92,
    key: next(),
    velocity: accent(random, at % 4 === 0),
  }));
}

/** Bass on one, chords on two and three. */
function waltz(random: Random, bars: number): Written[] {
  const tune = random.unit() < 0.5;
  return Array.from({ length: bars }, (_, bar) => {
    const root = ROOTS[(bar + random.integer(0, 1)) % ROOTS.length]!;
    const notes: Written[] = [{ at: bar * 3, length: 0.9, key: root - 5, velocity: accent(random, true) }];
    for (const beat of [1, 2])
      for (const key of chordOf(root))
        notes.push({ at: bar * 3 + beat, length: 0.6, key, velocity: accent(random, false) - 8 });
    if (tune)
      notes.push(
        { at: bar * 3, length: 1.8, key: 76 + random.integer(-4, 5), velocity: accent(random, true) },
        { at: bar * 3 + 2, length: 0.9, key: 76 + random.integer(-4, 5), velocity: accent(random, false) },
      );
    return notes;
  }).flat();
}

/** A walking bass in quarters under chords and lines in swung eighths. */
function swing(random: Random, bars: number): Written[] {
  const late = 2 / 3 + random.normal(0.02);
  return Array.from({ length: bars }, (_, bar) => {
    const root = ROOTS[(bar + random.integer(0, 1)) % ROOTS.length]!;
    const notes: Written[] = [0, 1, 2, 3].map((beat) => ({
      at: bar * 4 + beat,
      length: 0.9,
      key: beat === 0 ? root - 12 : root - 12 + [4, 7, 9, 5, 2][random.integer(0, 4)]!,
      velocity: accent(random, beat % 2 === 1) - 4,
    }));
    for (const beat of [0, 1, 2, 3]) {
      if (random.unit() < 0.45)
        notes.push({
          at: bar * 4 + beat + late,
          length: 0.3,
          key: 72 + random.integer(-5, 7),
          velocity: accent(random, false),
        });
      if (random.unit() < 0.4)
        notes.push({
          at: bar * 4 + beat,
          length: 0.5,
          key: 72 + random.integer(-5, 7),
          velocity: accent(random, false),
        });
    }
    if (bar % 2 === 0)
      for (const key of chordOf(root))
        notes.push({
          at: bar * 4 + (random.unit() < 0.5 ? 0 : 1 + late),
          length: 0.5,
          key,
          velocity: accent(random, false),
        });
    return notes;
  }).flat();
}

/**
 * Plays a style in a manner: the tempo glides, each note is loose by itself and chords by a little more of their own.
 */
export function performed({ style, bpm, bars, looseness, drift, seed }: Manner): Performance {
  const random = seeded(seed);
  const written = { chords, arpeggio: (r: Random, n: number) => arpeggio(r, n, bpm), melody, waltz, swing }[style](
    random,
    bars,
  );
  const beatsPerBar = style === 'waltz' ? 3 : 4;
  const total = bars * beatsPerBar;
  // Beats change length evenly around the mean tempo.
  const secondsAt = (beat: number): number => (60 / bpm) * (beat + drift * ((beat * beat) / (2 * total) - beat / 2));
  const slips = new Map<number, number>();
  const slip = (at: number) => slips.get(at) ?? (slips.set(at, random.normal(looseness / 1000)), slips.get(at)!);
  const began = 100 + random.unit();
  const notes = written
    .map(({ at, length, key, velocity }): PlayedNote => {
      const start = began + secondsAt(at) + slip(at) + Math.abs(random.normal(0.004));
      return {
        key,
        velocity: Math.max(1, Math.min(127, velocity)),
        start,
        end: Math.max(start + 0.03, began + secondsAt(at + length) + random.normal(0.015)),
      };
    })
    .sort((a, b) => a.start - b.start);
  return { notes, one: began + secondsAt(0), beatsPerBar, bpm };
}

/** Performances of every style over the whole field, evenly and by seed. */
export function performances(count: number, seed: number): (Manner & Performance)[] {
  const random = seeded(seed);
  return Array.from({ length: count }, (_, i) => {
    const manner: Manner = {
      style: STYLES[i % STYLES.length]!,
      bpm: 50 + random.unit() * 130,
      bars: random.integer(2, 16),
      looseness: 5 + random.unit() * 20,
      drift: random.unit() < 0.35 ? random.normal(0.04) : 0,
      seed: seed * 1000 + i,
    };
    return { ...manner, ...performed(manner) };
  });
}
