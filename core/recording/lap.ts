import type { KeyMessage } from '../performance/messages';
import { readLayer, type LayerClosing, type LayerEvent, type LayerHeader } from '../takes/layer';
import { shiftOf } from '../placement/place';
import { tempoMap, tickAt } from '../time/tempo';
import type { Seconds, Ticks } from '../time/units';
import { clearsOf, movesOf } from './clears';
import type { Mode } from '../vocabulary/modes';
import { admits, type InputRoute } from './inputRoutes';
import { modeOf } from './outcome';

/** Message of a keyboard, on the rolling clock: the song's clock, but that it does not go back at the end of a lap. */
export interface Heard {
  readonly at: Seconds;
  readonly port: string;
  readonly message: KeyMessage;
}

/** Messages recorded so far as a linked list, newest first: it grows without being copied. */
export interface HeardList {
  readonly heard: Heard;
  readonly before: HeardList | null;
}

/** Armed part, and for how long it was armed. */
export interface ListeningPart {
  readonly header: LayerHeader;
  readonly route: InputRoute;
  readonly from: Seconds;
  /** End of that time; null while the part is armed. */
  readonly to: Seconds | null;
}

export interface Ended {
  readonly at: Seconds;
  readonly rings: Seconds;
  readonly closesAt: Seconds;
  /** True where the player stopped it ahead of its planned end. */
  readonly stopped: boolean;
  /**
   * A lap that had hardly begun: with nothing struck in it, it was none, and what was held across its lap boundary is
   * the lap's before it.
   */
  readonly hardly?: boolean;
}

/** One lap, or the whole of a pass without a loop, while it is recorded. Times are on the rolling clock. */
export interface Lap {
  readonly passId: string;
  readonly mode: Mode;
  readonly lap: number;
  /** Offset of the rolling clock: the song's clock is the rolling clock less this. */
  readonly frame: Seconds;
  readonly startsAt: Seconds;
  readonly endsAt: Seconds;
  /** Time beyond its ends that is recorded as well: a change of placement can move a note over a lap boundary. */
  readonly margin: Seconds;
  readonly listening: readonly ListeningPart[];
  readonly recorded: HeardList | null;
  /**
   * True once its layers are open. A later lap opens them with the first message in it, so that an idle lap leaves
   * nothing.
   */
  readonly opened: boolean;
  /** Set once it has ended: how far held notes may ring, and when late notes are no longer waited for. */
  readonly ended: Ended | null;
  readonly seam: { readonly start: boolean; readonly end: boolean };
}

export interface Closed {
  readonly header: LayerHeader;
  readonly closing: LayerClosing;
  /** Number of its notes; of moves, where it records one controller alone. */
  readonly notes: number;
  /** Controllers moved in it, or sound was recorded beside the keys. */
  readonly touched?: boolean;
}

/**
 * Closes one layer over what was recorded: from the range's start to where recording ended.
 * Also used when a pass was cut off and its layer is closed from what was recorded.
 * @param rings how far notes held at the end may ring
 * @param stopped the player ended it there
 */
export function closeLayer(
  header: LayerHeader,
  events: readonly LayerEvent[],
  mode: Mode,
  endedAt: Ticks,
  rings?: Ticks,
  seam?: LayerClosing['seam'],
  stopped = false,
): Closed {
  // Places are whole ticks: two that are meant to be one never miss each other by rounding.
  const from = Math.round(header.planned.from);
  const to = Math.round(header.planned.to);
  // The tick that the player's Stop falls in is recorded.
  const ended = stopped ? Math.ceil(endedAt - 1e-6) : Math.round(endedAt);
  const range = { from, to: Math.max(from, Math.min(ended, to)) };
  const rung = Math.round(rings ?? range.to);
  const open: LayerClosing = {
    range,
    clears: [],
    ...(rung > range.to ? { rings: rung } : {}),
    ...(seam && (seam.start || seam.end) ? { seam } : {}),
    ...(stopped ? { stopped } : {}),
  };
  const { notes, controls } = readLayer({ header, events, closing: open }, header.placement);
  const played = header.ride
    ? movesOf(
        controls.filter((c) => c.at < range.to),
        header.ride,
      )
    : notes;
  const own = modeOf(header, mode);
  // A lap in which nothing was played leaves what is there.
  const clears = header.laps && played.length === 0 ? [] : clearsOf(own, range, played, header.gap);
  return {
    header,
    notes: played.length,
    touched: controls.length > 0 || header.sound !== undefined,
    closing: { ...open, clears: header.ride ? clears.map((c) => ({ ...c, lane: header.ride! })) : clears },
  };
}

/** Time so short that a moment this much later has the same tick. */
const INSTANT: Seconds = 1e-5;

const listensAt = (part: ListeningPart, at: Seconds): boolean => at >= part.from && at < (part.to ?? Infinity);

/** Test for something that a part takes in. A release goes wherever its note may have gone. */
export const takesIn = (part: ListeningPart, { at, port, message }: Heard): boolean =>
  admits(part.route, port, message) && (message.type === 'noteOff' || listensAt(part, at));

/** Events that one of the listening parts has heard, in order, on the song's clock. */
export function eventsOf({ recorded, frame }: Lap, part: ListeningPart): LayerEvent[] {
  const events: LayerEvent[] = [];
  for (let k = recorded; k; k = k.before)
    if (takesIn(part, k.heard)) events.push({ at: k.heard.at - frame, message: k.heard.message });
  return events.reverse();
}

/** Test for a moment whose messages can belong to a lap. */
export function reaches({ lap, startsAt, endsAt, margin, seam, ended }: Lap, at: Seconds): boolean {
  if (lap > 0 && at < startsAt - margin) return false;
  return at < (seam.end ? endsAt + margin : (ended?.closesAt ?? Infinity));
}

/** Messages recorded at or after a moment, in order. */
export function heardSince(recorded: HeardList | null, since: Seconds): Heard[] {
  const found: Heard[] = [];
  for (let k = recorded; k; k = k.before) if (k.heard.at >= since) found.push(k.heard);
  return found.reverse();
}

/** Closes every part's layer of a lap that has ended. */
export function closeLap(lap: Lap): Closed[] {
  const { ended, frame, mode, seam, startsAt, listening } = lap;
  if (!ended) throw new RangeError('A lap is closed when it has ended.');
  return listening.map((part) => {
    const { tempo: changes, placement, latency, speed = 1 } = part.header;
    const tempo = tempoMap(changes);
    // What a part heard up to the moment at which it stopped listening is in, wherever its placement puts it.
    const left = part.to === null ? Infinity : part.to + shiftOf(placement, latency) * speed;
    // One that stopped at the very start still has what was struck just ahead of it, and the tick to have it in: unless
    // the lap is none, and what was struck then is the lap's before it.
    const atStart = part.to !== null && part.from < startsAt && ended.at > startsAt;
    const at = Math.max(Math.min(ended.at, left), atStart ? startsAt + INSTANT : -Infinity);
    const rings = ended.rings > ended.at ? tickAt(tempo, ended.rings - frame) : undefined;
    // A part that came or went in the middle of a lap meets no lap boundary there.
    const meets = { start: seam.start && part.from <= startsAt, end: seam.end && part.to === null };
    const stopped = left < ended.at || (ended.stopped && !meets.end);
    return closeLayer(
      part.header,
      eventsOf(lap, part),
      mode,
      tickAt(tempo, at - frame),
      part.to === null ? rings : undefined,
      meets,
      stopped,
    );
  });
}
