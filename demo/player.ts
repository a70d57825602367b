import { seeded } from '../core/random';
import type { KeyMessage } from '../core/performance/messages';
import { secondsAt, type TempoMap } from '../core/time/tempo';
import { inRange, type Milliseconds, type Seconds, type TickRange } from '../core/time/units';
import type { WrittenNote, WrittenPart } from './writtenParts';

/** Manner of the simulated player. */
export interface Manner {
  /** Standard deviation of the notes' timing. */
  readonly looseness: Milliseconds;
  /** Amount of a slow lean, late (positive) or early, over a bar or so. */
  readonly lean: Milliseconds;
  /** Probability of a wrong or missing note. */
  readonly wrong: number;
  readonly missed: number;
  readonly seed: number;
  /** Delay of all notes. */
  readonly astray?: (note: WrittenNote) => Milliseconds;
}

export const STRICT: Manner = { looseness: 0, lean: 0, wrong: 0, missed: 0, seed: 1 };
export const HUMAN: Manner = { looseness: 9, lean: 6, wrong: 0.008, missed: 0.012, seed: 5 };

/** Message with its time on the song's clock. */
export interface Played {
  readonly at: Seconds;
  readonly message: KeyMessage;
  /** Written note of a note-on. */
  readonly written?: WrittenNote;
}

/**
 * Plays a written part: every note off by a little, chords not quite together, a slow lean, a few wrong and
 * missed notes, pedal. The same manner and seed play the same way each time. With no looseness it is exact.
 */
export function perform(part: WrittenPart, tempo: TempoMap, manner: Manner, range?: TickRange): Played[] {
  const random = seeded(manner.seed);
  const played: Played[] = [];
  let lean = 0;
  for (const note of [...part.notes].sort((a, b) => a.start - b.start || a.key - b.key)) {
    lean = 0.9 * lean + random.normal(manner.lean * 0.4);
    const off = (random.normal(manner.looseness) + lean + (manner.astray?.(note) ?? 0)) / 1000;
    const touch = manner.looseness ? Math.round(random.normal(6)) : 0;
    const missed = random.unit() < manner.missed;
    const key = note.key + (random.unit() < manner.wrong ? random.pick([-1, 1]) : 0);
    const short = 1 - (manner.looseness ? 0.12 * random.unit() : 0);
    // Each note draws from the source, so that a range is played as within the whole.
    if (missed || (range && !inRange(note.start, range))) continue;
    const at = secondsAt(tempo, note.start) + off;
    const end = Math.max(at + 0.03, secondsAt(tempo, note.start + note.length * short) + off / 2);
    played.push(
      {
        at,
        message: { type: 'noteOn', key, velocity: Math.max(1, Math.min(127, note.velocity + touch)) },
        written: note,
      },
      { at: end, message: { type: 'noteOff', key, velocity: 64 } },
    );
  }
  for (const { down, up } of part.pedals) {
    if (range && !inRange(down, range)) continue;
    played.push(
      {
        at: secondsAt(tempo, down) + random.normal(manner.looseness) / 1000,
        message: { type: 'control', controller: 64, value: 127 },
      },
      {
        at: secondsAt(tempo, up) + random.normal(manner.looseness) / 1000,
        message: { type: 'control', controller: 64, value: 0 },
      },
    );
  }
  return played.sort((a, b) => a.at - b.at);
}
