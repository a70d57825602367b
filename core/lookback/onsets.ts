import type { KeyMessage } from '../performance/messages';
import type { Milliseconds, Seconds } from '../time/units';

/** A note as it was played, on any clock. */
export interface PlayedNote {
  readonly key: number;
  readonly velocity: number;
  readonly start: Seconds;
  readonly end: Seconds;
}

/** Message of a keyboard, with its time in milliseconds. */
interface Sent {
  readonly wall: Milliseconds;
  readonly port: string;
  readonly message: KeyMessage;
}

/** Notes from messages of keyboards, in seconds on the same clock; one that is still held ends with the last event. */
export function playedNotes(events: readonly Sent[]): PlayedNote[] {
  const last = (events.at(-1)?.wall ?? 0) / 1000;
  const down = new Map<string, { -readonly [K in keyof PlayedNote]: PlayedNote[K] }[]>();
  const notes: PlayedNote[] = [];
  for (const { wall, port, message } of events) {
    if (message.type !== 'noteOn' && message.type !== 'noteOff') continue;
    const name = `${port} ${message.key}`;
    const waiting = down.get(name);
    if (message.type === 'noteOn') {
      const note = {
        key: message.key,
        velocity: message.velocity,
        start: wall / 1000,
        end: Math.max(last, wall / 1000 + 0.05),
      };
      notes.push(note);
      if (waiting) waiting.push(note);
      else down.set(name, [note]);
    } else {
      const open = waiting?.shift();
      if (open) open.end = wall / 1000;
    }
  }
  return notes;
}

/** Notes struck together. */
export interface Onset {
  readonly at: Seconds;
  readonly lowest: number;
  readonly highest: number;
  readonly notes: number;
  /** Pitch classes of the notes, as bits 0 to 11. */
  readonly harmony: number;
  readonly velocity: number;
  /** Seconds to the next onset, or its own length at the end. */
  readonly until: Seconds;
  /** Weight as a place for a beat: about 1 in the mean. */
  readonly weight: number;
}

/** Notes this near to each other are one onset: wider than a loose chord, narrower than a fast figure. */
const TOGETHER: Seconds = 0.055;

const mean = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / Math.max(1, values.length);
function spread(values: readonly number[]): number {
  const middle = mean(values);
  return Math.sqrt(mean(values.map((v) => (v - middle) ** 2)));
}
const clamp = (value: number, most: number): number => Math.max(-most, Math.min(most, value));

/** Onsets from notes, in time order, each with its weight. */
export function onsetsOf(notes: readonly PlayedNote[]): Onset[] {
  const sorted = [...notes].sort((a, b) => a.start - b.start);
  const groups: PlayedNote[][] = [];
  for (const note of sorted) {
    const last = groups.at(-1);
    if (last && note.start - last[0]!.start < TOGETHER) last.push(note);
    else groups.push([note]);
  }
  const bare = groups.map((group, i) => ({
    at: mean(group.map((n) => n.start)),
    lowest: Math.min(...group.map((n) => n.key)),
    highest: Math.max(...group.map((n) => n.key)),
    notes: group.length,
    harmony: group.reduce((bits, n) => bits | (1 << (n.key % 12)), 0),
    velocity: Math.max(...group.map((n) => n.velocity)),
    until:
      (groups[i + 1] ? mean(groups[i + 1]!.map((n) => n.start)) : Math.max(...group.map((n) => n.end))) -
      mean(group.map((n) => n.start)),
  }));
  const middle = (of: (b: (typeof bare)[number]) => number) => ({
    mean: mean(bare.map(of)),
    spread: spread(bare.map(of)) || 1,
  });
  const touch = middle((b) => b.velocity);
  const bass = middle((b) => b.lowest);
  const size = middle((b) => b.notes);
  const long = middle((b) => Math.min(2, b.until));
  return bare.map((b) => ({
    ...b,
    weight: Math.max(
      0.1,
      1 +
        0.18 * clamp((b.velocity - touch.mean) / Math.max(4, touch.spread), 2) +
        0.3 * clamp((bass.mean - b.lowest) / Math.max(5, bass.spread), 2) +
        0.2 * clamp((b.notes - size.mean) / Math.max(1, size.spread), 2) +
        0.22 * clamp((Math.min(2, b.until) - long.mean) / Math.max(0.08, long.spread), 2),
    ),
  }));
}
