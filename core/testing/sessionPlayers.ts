/**
 * Players of kinds that the rules of timing were not set on: rolled chords, ornaments, sparse ballads, late entries,
 * two grids, pushed chords, hands whose level changes. Shares nothing with `players.ts`. Not part of the program.
 */
import type { Note } from '../performance/notes';
import { seeded } from '../random';
import { meterMap, type MeterMap } from '../time/meter';
import { tempoMap, type TempoMap } from '../time/tempo';
import type { Bpm, Milliseconds, Ticks } from '../time/units';
import type { Recipe } from '../timing/recipe';

export const SESSION_STYLES = [
  ...(['rolled', 'trills', 'flams', 'glissandi', 'sparse', 'two grids', 'pushed', 'comping', 'arpeggios'] as const),
] as const;
export type SessionStyle = (typeof SESSION_STYLES)[number];

/** Kinds of hands, by their lateness as a whole. */
export const HANDS = ['even', 'step', 'slow rush', 'rush', 'late entry', 'wandering'] as const;
export type Hand = (typeof HANDS)[number];

export interface SessionSettings {
  readonly seed: number;
  readonly style: SessionStyle;
  readonly bpm: Bpm;
  readonly bars: number;
  /** Standard deviation of each onset by itself. */
  readonly loose: Milliseconds;
  readonly hand?: Hand;
  /** Milliseconds between the notes of a roll; random where undefined. */
  readonly pace?: Milliseconds;
}

/** Notes of one gesture: a roll, trill, flam or glissando. */
export interface Gesture {
  readonly kind: 'roll' | 'trill' | 'tremolo' | 'flam' | 'drag' | 'glissando';
  /** Notes in the order in which they were played. */
  readonly ids: readonly string[];
}

export interface Session {
  readonly notes: readonly Note[];
  /** The grid line that each note was meant for, by its id; of a gesture, the one of its anchor. */
  readonly meant: ReadonlyMap<string, Ticks>;
  readonly gestures: readonly Gesture[];
  /** Lateness of each note: that of the whole hand, and by looseness alone. */
  readonly slow: ReadonlyMap<string, Milliseconds>;
  readonly small: ReadonlyMap<string, Milliseconds>;
  readonly recipe: Recipe;
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
}

const BAR = 3840;
/** Rhythms of one bar, in sixteenths. */
const FIGURES_OF_BAR = [
  [0, 4, 8, 12],
  [0, 3, 6, 8, 11, 14],
  [0, 2, 4, 6, 8, 10, 12, 14],
  [0, 4, 6, 8, 12, 15],
  [2, 4, 7, 10, 12, 14],
  [0, 1, 2, 4, 8, 9, 10, 12],
  [0, 6, 8, 10],
] as const;
const CHORDS = [
  [0, 4, 7],
  [0, 3, 7, 10],
  [0, 4, 9, 14],
  [0, 5, 7, 12],
] as const;

/** Lateness of a hand as a whole, in ms, by the time in seconds. */
function handOf(kind: Hand, random: ReturnType<typeof seeded>, bar: number, bars: number): (at: number) => number {
  const sign = random.unit() < 0.5 ? -1 : 1;
  const whole = bar * bars;
  const where = (0.3 + 0.4 * random.unit()) * whole;
  const size = 18 + 22 * random.unit();
  const within = (at: number): number => at % (bar * 12);
  switch (kind) {
    case 'even':
      return () => 0;
    case 'step':
      return (at) => (at < where ? 0 : sign * size);
    case 'slow rush':
      // 0.3 % over eight bars, and back on the click where the next passage begins.
      return (at) => sign * 3 * Math.min(within(at), bar * 8) * (within(at) < bar * 8 ? 1 : 0);
    case 'rush':
      return (at) => (within(at) > 6 * bar && within(at) < 7 * bar ? -30 * (within(at) - 6 * bar) : 0);
    case 'late entry':
      return (at) => (Math.floor(at / (bar * 8)) % 2 ? size : 0);
    case 'wandering': {
      const rates = [0.03, 0.05, 0.09].map((r) => ({ r: r * (0.7 + 0.6 * random.unit()), p: 6.28 * random.unit() }));
      return (at) => rates.reduce((sum, { r, p }) => sum + 12 * Math.sin(6.28 * r * at + p), 0);
    }
  }
}

/** A part of one style, as one hand or two would play it. */
export function session(settings: SessionSettings): Session {
  const { style, bpm, bars, loose, hand = 'even' } = settings;
  const random = seeded(settings.seed * 7919 + 13);
  const ms = 60_000 / bpm / 960;
  const late = handOf(hand, random, (BAR * ms) / 1000, bars);
  const notes: Note[] = [];
  const meant = new Map<string, Ticks>();
  const [slow, small] = [new Map<string, Milliseconds>(), new Map<string, Milliseconds>()];
  const gestures: Gesture[] = [];

  const put = (line: Ticks, after: Milliseconds, key: number, length: Milliseconds, velocity: number): string => {
    const id = `session:${notes.length}`;
    const by = late((line * ms) / 1000);
    const start = line + (by + after) / ms;
    notes.push({ id, key, velocity, release: 64, start, end: start + Math.max(12, length) / ms });
    meant.set(id, line);
    slow.set(id, by);
    small.set(id, after);
    return id;
  };
  const touch = (about = 76): number => Math.max(8, Math.min(120, Math.round(about + random.normal(9))));
  /** Chord struck at once: half of the variance is shared by the hand, half is each finger's. */
  const chord = (line: Ticks, keys: readonly number[], length: Ticks): void => {
    const own = random.normal(loose * 0.8);
    for (const key of keys) put(line, own + random.normal(loose * 0.6), key, length * ms * 0.9, touch());
  };
  const roll = (line: Ticks, keys: readonly number[], length: Ticks, down: boolean): void => {
    const pace = settings.pace ?? 5 + 55 * random.unit();
    const own = random.normal(loose);
    const order = down ? [...keys].reverse() : keys;
    let at = own;
    const ids = order.map((key, i) => {
      if (i > 0) at += Math.max(1, pace * (settings.pace ? 1 : 0.85 + 0.3 * random.unit()));
      return put(line, at, key, Math.max(0.55 * length * ms, length * ms * 0.95 - (at - own)), touch(70));
    });
    if (ids.length > 1) gestures.push({ kind: 'roll', ids });
  };
  const trill = (line: Ticks, key: number, length: Ticks): void => {
    const pace = 58 + 50 * random.unit();
    const kind = random.unit() < 0.7 ? 'trill' : 'tremolo';
    const by = kind === 'trill' ? random.pick([1, 2]) : random.pick([3, 5, 8, 12]);
    const own = random.normal(loose);
    const count = Math.max(5, Math.floor((length * ms * 0.9) / pace));
    const ids = Array.from({ length: count }, (_, i) =>
      put(line, own + i * pace + random.normal(4), key + (i % 2 ? by : 0), pace * 0.85, touch(66)),
    );
    gestures.push({ kind, ids });
  };
  const flam = (line: Ticks, key: number, length: Ticks): void => {
    const own = random.normal(loose);
    const graces = random.unit() < 0.6 ? 1 : 2;
    const gap = 22 + 14 * random.unit();
    const ids: string[] = [];
    for (let g = graces; g > 0; g -= 1)
      ids.push(put(line, own - g * gap, key - (random.unit() < 0.5 ? 1 : 2), gap * 0.8, touch(42)));
    ids.push(put(line, own, key, length * ms * 0.7, touch(88)));
    gestures.push({ kind: graces === 1 ? 'flam' : 'drag', ids });
  };
  const glissando = (line: Ticks, key: number, length: Ticks): void => {
    const pace = 22 + 26 * random.unit();
    const count = 7 + Math.floor(8 * random.unit());
    const own = random.normal(loose);
    const sign = random.unit() < 0.5 ? -1 : 1;
    const whites = [0, 2, 4, 5, 7, 9, 11];
    const ids = Array.from({ length: count }, (_, i) => {
      const degree = sign > 0 ? i : count - i;
      const white = key - 12 + 12 * Math.floor(degree / 7) + whites[degree % 7]!;
      const isLast = i === count - 1;
      return put(
        line,
        own + (i - count + 1) * pace + random.normal(2),
        white,
        isLast ? length * ms * 0.8 : pace * 0.9,
        touch(),
      );
    });
    gestures.push({ kind: 'glissando', ids });
  };

  let root = 48;
  for (let bar = 0; bar < bars; bar += 1) {
    root = Math.max(41, Math.min(55, root + random.pick([-5, -2, 2, 3, 5])));
    const shape = random.pick(CHORDS);
    const at = bar * BAR;
    const upper = shape.map((s) => root + 12 + s);
    const rhythm = [...random.pick(FIGURES_OF_BAR)];
    const melody = (step: Ticks, places: readonly number[]): void =>
      places.forEach((place, i) => {
        const next = (places[i + 1] ?? BAR / step) - place;
        chord(at + place * step, [root + 24 + random.pick([0, 2, 4, 7, 9, 12])], next * step);
      });
    switch (style) {
      case 'rolled': {
        const wide = random.unit() < 0.35;
        const keys = wide ? [root - 12, root - 5, root, ...upper, ...upper.map((k) => k + 12)] : [root, ...upper];
        const times = random.unit() < 0.5 ? [0] : [0, 1920];
        const isDown = random.unit() < 0.2;
        const own = [...new Set(keys)].sort((a, b) => a - b).slice(0, 10);
        for (const t of times) roll(at + t, own, BAR / times.length, isDown);
        if (random.unit() < 0.6)
          melody(
            480,
            [3, 6].filter(() => random.unit() < 0.8),
          );
        break;
      }
      case 'trills':
        chord(at, [root - 12, root], 1920);
        chord(at + 1920, [root - 5], 1920);
        if (random.unit() < 0.6) trill(at + random.pick([0, 960, 1920]), root + 26, random.pick([960, 1920]));
        else melody(240, rhythm);
        break;
      case 'flams':
        rhythm.forEach((place, i) => {
          const length = ((rhythm[i + 1] ?? 16) - place) * 240;
          if (length >= 480 && random.unit() < 0.4) flam(at + place * 240, root + 20 + random.integer(0, 9), length);
          else chord(at + place * 240, [root + 19], length);
        });
        break;
      case 'glissandi':
        chord(at, [root - 12, root], 1920);
        if (random.unit() < 0.4) glissando(at + random.pick([1920, 2880]), root + 30, 960);
        else melody(240, rhythm);
        break;
      case 'sparse':
        chord(at, random.unit() < 0.5 ? [root - 12] : [root - 12, ...upper], BAR);
        if (random.unit() < 0.5) chord(at + random.pick([960, 1920, 2400, 2880]), [root + 24], 960);
        break;
      case 'two grids':
        for (let beat = 0; beat < 4; beat += 1) {
          const three = random.unit() < 0.4;
          const places = three ? [0, 1, 2] : random.pick([[0, 2], [0, 1, 2, 3], [0, 3], [2]]);
          places.forEach((p) =>
            chord(at + beat * 960 + p * (three ? 320 : 240), [root + 20 + random.integer(0, 7)], 230),
          );
        }
        chord(at, [root - 12], 1900);
        break;
      case 'pushed': {
        const ahead = random.pick([240, 480]);
        if (random.unit() < 0.7 && bar > 0) chord(at - ahead, [root - 12, ...upper], 1400);
        else chord(at, [root - 12, ...upper], 1400);
        chord(at + random.pick([1440, 1680, 1920]), upper, 900);
        if (random.unit() < 0.6) chord(at + random.pick([2640, 2880, 3120]), upper, 300);
        break;
      }
      case 'comping':
        rhythm.forEach((place, i) => chord(at + place * 240, i % 2 ? upper : [root], 230 * (1 + (i % 2))));
        break;
      case 'arpeggios':
        for (let e = 0; e < 8; e += 1) chord(at + e * 480, [[root, ...upper][e % (1 + upper.length)]!], 1500);
        break;
    }
  }
  notes.sort((a, b) => a.start - b.start || a.key - b.key);
  const second = style === 'two grids' ? { second: '8 triplet' as const } : {};
  const recipe: Recipe = {
    grid: '16 straight',
    ...second,
    lines: 'phrase',
    strength: 1,
    ends: 'keep length',
    chord: 60,
  };
  const tempo = tempoMap([{ tick: 0, bpm }]);
  const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
  return { notes, meant, gestures, slow, small, recipe, tempo, meter };
}
