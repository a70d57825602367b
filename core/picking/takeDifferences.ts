import { keyName } from '../performance/messages';
import type { Note } from '../performance/notes';
import { positionAt, type MeterMap } from '../time/meter';
import type { TempoMap } from '../time/tempo';
import type { Milliseconds, TickRange, Ticks } from '../time/units';
import { alignTakes, type ReadTake } from './slots';

/** Difference between two takes. */
export interface Difference {
  readonly kind: 'missing' | 'extra' | 'pitch' | 'early' | 'late' | 'harder' | 'softer';
  readonly at: Ticks;
  /** Note of the first take and of the other; one is undefined where only one take has it. */
  readonly note?: Note;
  readonly other?: Note;
  /** Difference in milliseconds, or in velocity. */
  readonly by?: number;
}

/** Tolerances: two notes count as different beyond these. */
export interface Tolerance {
  readonly time: Milliseconds;
  readonly velocity: number;
}
export const USUAL_TOLERANCE: Tolerance = { time: 40, velocity: 25 };
/** Distance within which a missing and an extra note are one note at another pitch. */
const SAME_NOTE: Milliseconds = 90;

/**
 * Differences of one take from another in a range, in time order. The difference that is told of a note is the first
 * of: there or not, its pitch, its time, its velocity.
 */
export function differencesOf(
  take: ReadTake,
  other: ReadTake,
  range: TickRange,
  tempo: TempoMap,
  meter: MeterMap,
  tolerance: Tolerance = USUAL_TOLERANCE,
): Difference[] {
  const slots = alignTakes([take, other], tempo, meter).filter((s) => s.at >= range.from && s.at < range.to);
  const found: Difference[] = [];
  const alone = slots.filter((s) => s.struck.length === 1);
  const paired = new Set<(typeof slots)[number]>();
  for (const mine of alone.filter((s) => s.struck[0]!.take === 0)) {
    const near = alone
      .filter((s) => s.struck[0]!.take === 1 && !paired.has(s) && Math.abs(s.ms - mine.ms) <= SAME_NOTE)
      .sort((a, b) => Math.abs(a.key - mine.key) - Math.abs(b.key - mine.key))[0];
    const { note } = mine.struck[0]!;
    if (near) {
      paired.add(near);
      found.push({ kind: 'pitch', at: mine.at, note, other: near.struck[0]!.note });
    } else found.push({ kind: 'extra', at: mine.at, note });
  }
  for (const theirs of alone.filter((s) => s.struck[0]!.take === 1 && !paired.has(s)))
    found.push({ kind: 'missing', at: theirs.at, other: theirs.struck[0]!.note });
  for (const { struck, at } of slots.filter((s) => s.struck.length === 2)) {
    const [mine, theirs] = [struck.find((s) => s.take === 0)!, struck.find((s) => s.take === 1)!];
    const pair = { at, note: mine.note, other: theirs.note };
    const late = mine.ms + mine.lag - (theirs.ms + theirs.lag);
    const harder = mine.note.velocity - theirs.note.velocity;
    if (Math.abs(late) >= tolerance.time)
      found.push({ kind: late > 0 ? 'late' : 'early', by: Math.abs(late), ...pair });
    else if (Math.abs(harder) >= tolerance.velocity)
      found.push({ kind: harder > 0 ? 'harder' : 'softer', by: Math.abs(harder), ...pair });
  }
  return found.sort((a, b) => a.at - b.at);
}

/** Words for a difference: "21 · 3: D4 too many". */
export function differenceWords({ kind, at, note, other, by = 0 }: Difference, meter: MeterMap): string {
  const { bar, beat } = positionAt(meter, Math.max(0, at));
  const name = keyName((note ?? other)!.key);
  const what = {
    missing: `no ${name}`,
    extra: `${name} too many`,
    pitch: `${name} for ${keyName(other?.key ?? 0)}`,
    early: `${name} ${Math.round(by)} ms earlier`,
    late: `${name} ${Math.round(by)} ms later`,
    harder: `${name} harder, by ${by}`,
    softer: `${name} softer, by ${by}`,
  }[kind];
  return `${bar} · ${beat}: ${what}`;
}
