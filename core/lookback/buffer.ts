import { laneOf } from '../performance/controls';
import { isNote, type KeyMessage } from '../performance/messages';
import type { Transposition } from '../performance/transposition';
import type { InputRoute } from '../recording/inputRoutes';
import type { Loop } from '../recording/state';
import type { Latency } from '../placement/place';
import type { TempoChange } from '../time/tempo';
import type { Milliseconds, Seconds } from '../time/units';

/** Roll of the transport, with what tells where in the song its notes were. */
export interface Roll {
  readonly id: string;
  readonly song: string;
  readonly tempo: readonly TempoChange[];
  readonly loop: Loop | null;
  readonly latency: Latency;
  readonly speed: number;
  /** Transposition that was heard; missing where there was none. */
  readonly transposition?: Transposition;
}

/** Parts that were armed, from a moment on. */
export interface Listening {
  readonly id: number;
  readonly song: string;
  readonly parts: readonly { readonly part: string; readonly ear: InputRoute }[];
}

/** Message of a keyboard, with the state of the song at that moment. */
export interface BufferedEvent {
  /** Sequence number: rises with every event, in the order of arrival. */
  readonly seq: number;
  /** Time at which it was struck, in milliseconds since 1970. */
  readonly wall: Milliseconds;
  readonly port: string;
  readonly message: KeyMessage;
  readonly listening: number;
  /** Place on the rolling clock of a roll; null when nothing rolled. */
  readonly place: { readonly roll: string; readonly at: Seconds } | null;
}

/** Pass or keep that took buffered events, from one sequence number to another, both included. */
export interface Taking {
  readonly by: string;
  readonly from: number;
  readonly to: number;
}

/** Content of look-back. Immutable; events are in order of arrival. */
export interface LookBackBuffer {
  readonly events: readonly BufferedEvent[];
  readonly rolls: ReadonlyMap<string, Roll>;
  readonly listenings: ReadonlyMap<number, Listening>;
  readonly takings: readonly Taking[];
}
export const EMPTY_BUFFER: LookBackBuffer = { events: [], rolls: new Map(), listenings: new Map(), takings: [] };

/** Test for a taking in force: an undone pass gives back what it took. */
export type IsLive = (by: string) => boolean;

/** Least playing time that is buffered; longer silence counts as `SILENCE`. */
export const KEEPS: Milliseconds = 30 * 60_000;
const SILENCE: Milliseconds = 3000;

/** Playing time between two events. */
const between = (a: BufferedEvent, b: BufferedEvent): Milliseconds => Math.min(SILENCE, Math.max(0, b.wall - a.wall));

/** Playing time of some events. */
export const playingTime = (events: readonly BufferedEvent[]): Milliseconds =>
  events.reduce((sum, e, i) => (i ? sum + between(events[i - 1]!, e) : 0), 0);

/** First sequence number of the last half hour of playing; older events may be deleted. */
export function oldestWorthHolding(events: readonly BufferedEvent[]): number {
  let played = 0;
  for (let i = events.length - 1; i > 0; i -= 1) {
    played += between(events[i - 1]!, events[i]!);
    if (played > KEEPS) return events[i]!.seq;
  }
  return events[0]?.seq ?? 0;
}

/** Passage: events of one roll, or of one freely played phrase. */
export interface Passage {
  readonly events: readonly BufferedEvent[];
  readonly roll: Roll | null;
  readonly song: string;
  /** Number of notes struck. */
  readonly notes: number;
  /** True if nothing was kept or recorded since, so that Keep takes it. */
  readonly fresh: boolean;
}

/** Latest value of each controller of each keyboard before an event, in the order in which they were set. */
export function controlsBefore(events: readonly BufferedEvent[], seq: number): BufferedEvent[] {
  const last = new Map<string, BufferedEvent>();
  for (const event of events) {
    if (event.seq >= seq) break;
    if (isNote(event.message)) continue;
    const name = `${event.port} ${laneOf(event.message)}`;
    last.delete(name);
    last.set(name, event);
  }
  return [...last.values()];
}

/** Keys that are down after some events, by keyboard. */
export function keysDown(events: readonly Pick<BufferedEvent, 'port' | 'message'>[]): ReadonlySet<string> {
  const down = new Set<string>();
  for (const { port, message } of events) {
    if (message.type === 'noteOn') down.add(`${port} ${message.key}`);
    else if (message.type === 'noteOff') down.delete(`${port} ${message.key}`);
  }
  return down;
}

/**
 * Passages that Keep takes now: all since the last keep or pass, or the last phrase if it was played freely.
 * @param passages those in no take
 */
export function offered(
  passages: readonly Passage[],
  song: string,
): { readonly rolled: readonly Passage[]; readonly free: Passage | null } {
  const fresh = passages.filter((s) => s.fresh && s.song === song);
  const last = fresh.at(-1);
  if (!last) return { rolled: [], free: null };
  return last.roll ? { rolled: fresh.filter((s) => s.roll !== null), free: null } : { rolled: [], free: last };
}

/** Marks events as taken. */
export const taking = (by: string, events: readonly BufferedEvent[]): Taking[] => {
  const found: { by: string; from: number; to: number }[] = [];
  for (const { seq } of events) {
    const last = found.at(-1);
    if (last && seq === last.to + 1) last.to = seq;
    else found.push({ by, from: seq, to: seq });
  }
  return found;
};

/** Takings of some events. */
export function takersOf(events: readonly BufferedEvent[], takings: readonly Taking[]): ReadonlySet<string> {
  const seqs = events.map((e) => e.seq).sort((a, b) => a - b);
  const near = takings.filter((t) => seqs.length > 0 && t.to >= seqs[0]! && t.from <= seqs.at(-1)!);
  return new Set(near.filter((t) => seqs.some((seq) => t.from <= seq && seq <= t.to)).map((t) => t.by));
}

/** Buffer without old events and the facts that only they need. */
export function trimmed(buffer: LookBackBuffer): LookBackBuffer {
  const from = oldestWorthHolding(buffer.events);
  if (buffer.events[0] === undefined || from <= buffer.events[0].seq) return buffer;
  const events = buffer.events.filter((e) => e.seq >= from);
  const rolls = new Set(events.map((e) => e.place?.roll));
  const listenings = new Set(events.map((e) => e.listening));
  return {
    events,
    rolls: new Map([...buffer.rolls].filter(([id]) => rolls.has(id))),
    listenings: new Map([...buffer.listenings].filter(([id]) => listenings.has(id))),
    takings: buffer.takings.filter((t) => t.to >= from),
  };
}
