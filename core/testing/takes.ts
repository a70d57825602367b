/** Takes of one part, with slips put in at known places, made up by rule, for tests and figures. */
import type { Note } from '../performance/notes';
import type { ControlEvent } from '../performance/controls';
import type { ReadTake } from '../picking/slots';
import { seeded, type Seeded } from '../random';

const BAR = 3840;
const BEAT = 960;

export interface Session {
  readonly takes: number;
  readonly bars: number;
  readonly bpm: number;
  /** Standard deviation of a note's own looseness, in milliseconds. */
  readonly looseness: number;
  readonly seed: number;
  /** Probability of a slip at a note; 0.004 by default. */
  readonly slips?: number;
}

/** Slip that was put in, with the id of its note in the part, `bar:ordinal`, or of the added note. */
export interface KnownSlip {
  readonly take: string;
  readonly kind: 'missing' | 'extra' | 'wrong' | 'early' | 'late' | 'pedal';
  readonly bar: number;
  readonly note: string;
}

export interface MadeTakes {
  readonly takes: readonly ReadTake[];
  readonly slips: readonly KnownSlip[];
  /** Bars in which several takes play something else on purpose, and which takes do. */
  readonly variations: readonly { readonly bar: number; readonly takes: readonly string[] }[];
  /** Note of the part for each note of a take; undefined for an added note. */
  readonly meant: ReadonlyMap<string, string>;
}

interface Written {
  readonly id: string;
  readonly at: number;
  readonly length: number;
  readonly key: number;
}

const CHORDS = [
  [48, 60, 64, 67],
  [45, 57, 60, 64],
  [41, 57, 60, 65],
  [43, 55, 59, 62],
] as const;

function barOf(random: Random, bar: number): Written[] {
  const chord = CHORDS[bar % CHORDS.length]!;
  const notes: Omit<Written, 'id'>[] = [];
  const rhythm = random.pick([[0, 2], [0, 1, 2, 3], [0, 1.5, 3], [0]] as const);
  for (const beat of rhythm)
    for (const key of chord.slice(1)) notes.push({ at: beat * BEAT, length: 0.85 * BEAT, key });
  notes.push({ at: 0, length: random.unit() < 0.3 ? 4.1 * BEAT : 1.9 * BEAT, key: chord[0] });
  const tune = random.pick([[0.5, 1, 2.5], [1, 1.5, 2, 3.5], [0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5], []] as const);
  for (const beat of tune)
    notes.push({ at: beat * BEAT, length: 0.4 * BEAT, key: random.pick(chord.slice(1)) + 12 + random.integer(0, 2) });
  return notes
    .sort((a, b) => a.at - b.at || a.key - b.key)
    .filter((n, i, all) => !all.slice(0, i).some((m) => m.at === n.at && m.key === n.key))
    .map((n, i) => ({ ...n, id: `${bar}:${i}` }));
}
type Random = Seeded;

/** A session's takes: each plays the whole part, with slips. */
export function madeTakes({ takes, bars, bpm, looseness, seed, slips: rate = 0.004 }: Session): MadeTakes {
  const random = seeded(seed);
  const ticks = (ms: number): number => (ms / 60_000) * bpm * BEAT;
  const part = Array.from({ length: bars }, (_, i) => barOf(random, i + 1));
  const ids = Array.from({ length: takes }, (_, i) => `take ${String(i + 1).padStart(2, '0')}`);
  const other = new Map<number, { notes: Written[]; takes: string[] }>();
  if (takes >= 5) {
    for (let bar = 4; bar <= bars; bar += random.integer(9, 16)) {
      const doing = ids.filter(() => random.unit() < 0.3);
      if (doing.length < 2 || doing.length * 2 >= takes) continue;
      const notes = barOf(random, bar + 1).map((n, i) => ({ ...n, key: n.key + 5, id: `${bar}:other ${i}` }));
      other.set(bar, { notes, takes: doing });
    }
  }
  const slips: KnownSlip[] = [];
  const meant = new Map<string, string>();
  const made = ids.map((take): ReadTake => {
    const notes: Note[] = [];
    const controls: ControlEvent[] = [];
    let lag = 0;
    let lagUntil = 0;
    for (let bar = 1; bar <= bars; bar += 1) {
      const from = (bar - 1) * BAR;
      if (bar >= lagUntil) {
        lag = 0;
        if (bar > 1 && random.unit() < rate * 2.5) {
          lag = (random.unit() < 0.5 ? -1 : 1) * random.integer(70, 150);
          lagUntil = bar + random.integer(1, 2);
        }
      }
      const dropped = random.unit() < rate * 4;
      if (dropped) slips.push({ take, kind: 'pedal', bar, note: '' });
      const pedal = (at: number, value: number) =>
        controls.push({ at, message: { type: 'control', controller: 64, value } });
      if (!dropped) {
        pedal(from + 60 + ticks(random.normal(12)), 127);
        pedal(from + BAR - 120 + ticks(random.normal(12)), 0);
      }
      const way = other.get(bar);
      const written = way?.takes.includes(take) ? way.notes : part[bar - 1]!;
      const sway = random.normal(6);
      for (const { id, at, length, key } of written) {
        const own = `${take}:${id}`;
        const play = (struck: number, noteId: string, off = 0): void => {
          const start = from + at + ticks(random.normal(looseness) + sway + lag + off);
          const velocity = random.integer(50, 100);
          notes.push({ id: noteId, key: struck, velocity, release: 64, start, end: start + length });
        };
        const chance = random.unit();
        if (chance < rate) slips.push({ take, kind: 'missing', bar, note: id });
        else if (chance < 2 * rate) {
          const wrong = key + random.pick([-2, -1, 1, 2]);
          if (written.some((w) => w.at === at && w.key === wrong)) play(key, own);
          else {
            slips.push({ take, kind: 'wrong', bar, note: id });
            play(wrong, own);
          }
          meant.set(own, id);
        } else {
          play(key, own);
          meant.set(own, id);
        }
        if (lag !== 0) slips.push({ take, kind: lag > 0 ? 'late' : 'early', bar, note: id });
        if (random.unit() < rate) {
          const added = key + random.pick([-3, 3, 4, 9]);
          if (written.some((w) => Math.abs(w.at - at) < BEAT && w.key === added)) continue;
          const ownId = `${own} added`;
          play(added, ownId, random.integer(100, 220));
          slips.push({ take, kind: 'extra', bar, note: ownId });
        }
      }
    }
    notes.sort((a, b) => a.start - b.start || a.key - b.key);
    return { id: take, from: 0, to: bars * BAR, notes, controls };
  });
  const variations = [...other].map(([bar, { takes: doing }]) => ({ bar, takes: doing }));
  return { takes: made, slips, variations, meant };
}
