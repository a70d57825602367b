import type { Note } from '../performance/notes';
import type { Milliseconds, Seconds } from '../time/units';

/** A note with its ends in seconds. */
export interface NoteOnset {
  readonly note: Note;
  readonly at: Seconds;
  readonly end: Seconds;
}

/** Prior standard deviation of a finger's onset, the notes that it counts as, and the least that is believed. */
const FINGERS: Milliseconds = 9;
const FINGERS_COUNT = 12;
const LEAST_FINGERS: Milliseconds = 4;
/** Pace of rolls from note to note, at most and at least, and their unevenness: in all, and by the pace. */
const MOST_PACE: Milliseconds = 65;
const LEAST_PACE: Milliseconds = 3;
const UNEVEN: Milliseconds = 3;
const UNEVEN_OF_PACE = 0.2;
/** Pseudo-count of the prior that half of all chords are rolled. */
const EXPECTED = 2;
const ROUNDS = 3;

const LOG_2PI = Math.log(2 * Math.PI);

/** Log likelihood of onsets under loose fingers alone, about a free mean. */
function byChance(times: readonly Milliseconds[], fingers: Milliseconds): number {
  const n = times.length;
  const mean = times.reduce((a, b) => a + b, 0) / n;
  const squares = times.reduce((s, t) => s + (t - mean) ** 2, 0);
  return -((n - 1) / 2) * LOG_2PI - (n - 1) * Math.log(fingers) - Math.log(n) / 2 - squares / (2 * fingers ** 2);
}

/** The same of a roll of any pace, upwards or down. @param times by key */
function byRoll(times: readonly Milliseconds[]): number {
  const gaps = times.slice(1).map((t, i) => t - times[i]!);
  const pace = gaps.reduce((a, b) => a + b, 0) / gaps.length;
  if (Math.abs(pace) < LEAST_PACE) return -Infinity;
  const uneven = UNEVEN + UNEVEN_OF_PACE * Math.abs(pace);
  const squares = gaps.reduce((s, g) => s + (g - pace) ** 2, 0);
  const own = -(gaps.length / 2) * LOG_2PI - gaps.length * Math.log(uneven) - squares / (2 * uneven ** 2);
  // The pace has a flat prior and is integrated out.
  return own - Math.log(2 * MOST_PACE) + LOG_2PI / 2 + Math.log(uneven / Math.sqrt(gaps.length));
}

/** Log odds of a roll against loose fingers, in one hand or in each of two. */
function evidence(onsets: readonly NoteOnset[], fingers: Milliseconds): number {
  const times = [...onsets].sort((a, b) => a.note.key - b.note.key).map((o) => o.at * 1000);
  const whole = byRoll(times) - byChance(times, fingers);
  let best = whole;
  for (let split = 2; split <= times.length - 2; split += 1) {
    const hands = [times.slice(0, split), times.slice(split)];
    const both = hands.reduce((s, hand) => s + byRoll(hand) - byChance(hand, fingers), 0);
    best = Math.max(best, both - Math.log(times.length));
  }
  return best;
}

/** Looseness of the fingers in chords that are not rolled. */
function fingersOf(chords: readonly (readonly NoteOnset[])[], rolled: readonly boolean[]): Milliseconds {
  let [squares, count] = [FINGERS ** 2 * FINGERS_COUNT, FINGERS_COUNT];
  chords.forEach((onsets, i) => {
    if (rolled[i]) return;
    const mean = onsets.reduce((s, o) => s + o.at, 0) / onsets.length;
    squares += onsets.reduce((s, o) => s + ((o.at - mean) * 1000) ** 2, 0);
    count += onsets.length - 1;
  });
  return Math.max(LEAST_FINGERS, Math.sqrt(squares / count));
}

/**
 * Test for the chords of a part that are rolled, against those struck at once by fingers that are loose. A roll goes
 * from key to key in one direction at one pace; how loose the fingers are and how often the player rolls are learned
 * from the part.
 * @param chords of two notes or more
 */
export function isRolled(chords: readonly (readonly NoteOnset[])[]): readonly boolean[] {
  let fingers: Milliseconds = FINGERS;
  let odds = 0;
  let rolled: readonly boolean[] = chords.map(() => false);
  for (let round = 0; round < ROUNDS; round += 1) {
    rolled = chords.map((onsets) => evidence(onsets, fingers) + odds > 0);
    fingers = fingersOf(chords, rolled);
    const count = rolled.filter(Boolean).length;
    odds = Math.log((count + EXPECTED / 2) / (chords.length - count + EXPECTED / 2));
  }
  return rolled;
}
