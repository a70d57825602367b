/** Players whose intended lines are known, for figures and tests. Not part of the program. */
import { seeded, type Seeded } from '../random';
import type { Note } from '../performance/notes';
import { meterMap, type MeterMap } from '../time/meter';
import { tempoMap, type TempoMap } from '../time/tempo';
import type { Bpm, Milliseconds, Ticks } from '../time/units';
import type { Recipe } from '../timing/recipe';
import { swung } from '../timing/swing';

export const STYLES = ['sixteenths', 'triplets', 'both', 'swing', 'syncopation', 'runs', 'grace notes'] as const;
export type Style = (typeof STYLES)[number];

export interface PlayerSettings {
  readonly seed: number;
  readonly style: Style;
  readonly bpm: Bpm;
  readonly bars: number;
  /** Standard deviation of each note's own noise. */
  readonly noise: Milliseconds;
  /** Standard deviation of the slow drift. */
  readonly drift?: Milliseconds;
  /** Standard deviation of the lean at each place of the bar. */
  readonly lean?: Milliseconds;
  /** Length of notes as a share of the usual; less is staccato. */
  readonly held?: number;
  /** True if some chords are rolled. */
  readonly rolls?: boolean;
}

/** Played notes with what was meant. */
export interface Played {
  readonly notes: readonly Note[];
  /** Grid line of each note by id, as written. */
  readonly meant: ReadonlyMap<string, Ticks>;
  /** Lateness of the hand at each note, by id: by drift alone, and by lean and chance. */
  readonly drift: ReadonlyMap<string, Milliseconds>;
  readonly small: ReadonlyMap<string, Milliseconds>;
  readonly recipe: Recipe;
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
}

const BAR = 3840;
/** Probability of a note at a place, by its depth: beat, half, quarter. */
const PLAIN = [0.75, 0.5, 0.3] as const;
const LATE = [0.35, 0.55, 0.55] as const;

/** One bar's places. */
function rhythm(random: Seeded, style: Style, beatKinds: readonly (3 | 4)[]): Ticks[] {
  const places: Ticks[] = [];
  beatKinds.forEach((parts, beat) => {
    const run = style === 'runs' && random.unit() < 0.45;
    for (let i = 0; i < parts; i += 1) {
      const odds = style === 'syncopation' ? LATE : PLAIN;
      const depth = parts === 4 ? [0, 2, 1, 2][i]! : 0;
      const often = parts === 3 && i > 0 ? 0.6 : odds[depth]!;
      if (run || random.unit() < often) places.push(beat * 960 + (i * 960) / parts);
    }
  });
  return places;
}

/** Slow random curve that returns to its start: its spread, and its period in seconds. */
function wandering(random: Seeded, spread: Milliseconds, over: number): (at: number) => Milliseconds {
  const waves = Array.from({ length: 4 }, () => ({
    rate: (0.4 + 1.2 * random.unit()) / over,
    phase: 2 * Math.PI * random.unit(),
  }));
  return (at) =>
    spread * Math.sqrt(2 / waves.length) * waves.reduce((s, w) => s + Math.sin(2 * Math.PI * w.rate * at + w.phase), 0);
}

/** A two-handed part: chords in the left, a line and chords in the right. */
export function played(settings: PlayerSettings): Played {
  const { style, bpm, bars, noise, drift: drifts = 14, lean: leans = 6, held = 1, rolls = true } = settings;
  const random = seeded(settings.seed);
  const tempo = tempoMap([{ tick: 0, bpm }]);
  const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
  const msOfTick = 60_000 / bpm / 960;
  const drift = wandering(random, drifts, 14);
  const lean = new Map<number, number>();
  const leanAt = (inBar: number): number => {
    if (!lean.has(inBar)) lean.set(inBar, random.normal(leans));
    return lean.get(inBar)!;
  };
  const swing = { percent: style === 'swing' ? 57 + 10 * random.unit() : 50, of: random.pick([8, 16] as const) };
  const three = (): 3 | 4 => {
    if (style === 'triplets') return 3;
    return style === 'both' && random.unit() < 0.4 ? 3 : 4;
  };
  const kinds = () => Array.from({ length: 4 }, three);
  const patterns = Array.from({ length: 3 }, () => {
    const own = kinds();
    return { right: rhythm(random, style, own), left: rhythm(random, 'sixteenths', own).filter((t) => t % 480 === 0) };
  });
  const notes: Note[] = [];
  const meant = new Map<string, Ticks>();
  const [drifted, small] = [new Map<string, Milliseconds>(), new Map<string, Milliseconds>()];
  const press = (line: Ticks, keys: readonly number[], length: Ticks, roll: Milliseconds, early = 0): void => {
    const at = swung(meter, line, swing.percent, swing.of) * msOfTick;
    const slow = drift(at / 1000);
    // Half of the variance is shared by the hand, half is each finger's.
    const own = leanAt(line % BAR) + random.normal(noise * Math.SQRT1_2);
    keys.forEach((key, i) => {
      const chance = own + random.normal(roll ? 0 : noise * Math.SQRT1_2);
      const start = (at + slow + chance + i * roll - early) / msOfTick;
      const id = `player:${notes.length}`;
      notes.push({
        id,
        key,
        velocity: random.integer(45, 100),
        release: 64,
        start,
        end: start + Math.max(40, length * held * (0.6 + 0.35 * random.unit())),
      });
      meant.set(id, line);
      drifted.set(id, slow);
      small.set(id, chance + i * roll - early);
    });
  };
  let key = 72;
  for (let bar = 0; bar < bars; bar += 1) {
    const fresh = kinds();
    const pattern =
      random.unit() < 0.75 ? random.pick(patterns) : { right: rhythm(random, style, fresh), left: [0, 1920] };
    const { right, left } = pattern;
    right.forEach((place, i) => {
      key = Math.max(62, Math.min(88, key + random.integer(-4, 4)));
      const next = right[i + 1] ?? BAR;
      const line = bar * BAR + place;
      const chord = random.unit() < 0.25;
      const roll = chord && rolls && next - place >= 480 && random.unit() < 0.3 ? 14 + 16 * random.unit() : 0;
      if (style === 'grace notes' && place % 480 === 0 && random.unit() < 0.3)
        press(line, [key + random.pick([-1, 1, -2, 2])], 45 / msOfTick, 0, 45 + 30 * random.unit());
      press(line, chord ? [key, key + 4, key + 7, key + 12].slice(0, random.integer(2, 4)) : [key], next - place, roll);
    });
    left.forEach((place, i) => {
      const root = 40 + random.integer(0, 12);
      const next = left[i + 1] ?? BAR;
      const roll = rolls && next - place >= 960 && random.unit() < 0.12 ? 16 + 14 * random.unit() : 0;
      press(bar * BAR + place, [root, root + 7, root + 12].slice(0, random.integer(1, 3)), next - place, roll);
    });
  }
  const recipe: Recipe = {
    grid: style === 'triplets' ? '8 triplet' : '16 straight',
    ...(style === 'both' ? { second: '8 triplet' as const } : {}),
    ...(style === 'swing' ? { swing: { percent: Math.round(swing.percent), of: swing.of } } : {}),
    ...{ lines: 'phrase', strength: 1, ends: 'keep length', chord: 60 },
  };
  notes.sort((a, b) => a.start - b.start || a.key - b.key);
  return { notes, meant, drift: drifted, small, recipe, tempo, meter };
}
