import type { KeyMessage } from '../performance/messages';
import { readLayer, type LayerClosing, type LayerEvent, type LayerHeader } from '../takes/layer';
import { shiftOf } from '../placement/place';
import { tempoMap, tickAt } from '../time/tempo';
import type { Seconds, Ticks } from '../time/units';
import { clearsOf, movesOf } from './clears';
import type { Mode } from '../vocabulary/modes';
import { admits, type InputRoute } from './inputRoutes';
import { modeOf } from './outcome';

/**
 * Message of a keyboard with its time on the rolling clock, which equals the song's clock but for going back at the end
 * of a lap.
 */
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

/** Armed part, with the time for which it was armed. */
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
  /** True if the player stopped it before its planned end. */
  readonly stopped: boolean;
  /**
   * True for a lap that had hardly begun. Without a note it is dropped, and notes held across its boundary belong to
   * the lap before.
   */
  readonly hardly?: boolean;
}

/** Lap, or a whole pass without a loop, while it is recorded. Times are on the rolling clock. */
export interface Lap {
  readonly passId: string;
  readonly mode: Mode;
  readonly lap: number;
  /** Offset of the rolling clock: song time is the rolling clock less this. */
  readonly frame: Seconds;
  readonly startsAt: Seconds;
  readonly endsAt: Seconds;
  /** Time beyond its ends that is recorded too, as a change of placement can move a note over a lap boundary. */
  readonly margin: Seconds;
  readonly listening: readonly ListeningPart[];
  readonly recorded: HeardList | null;
  /**
   * True once its layers are open. A later lap opens them with its first message, so that an idle lap leaves nothing.
   */
  readonly opened: boolean;
  /**
   * Facts of its end: how far held notes may ring, and when late notes are no longer waited for; null while it runs.
   */
  readonly ended: Ended | null;
  readonly seam: { readonly start: boolean; readonly end: boolean };
}

export interface Closed {
  readonly header: LayerHeader;
  readonly closing: LayerClosing;
  /** Number of its notes, or of movements where it rides a controller. */
  readonly notes: number;
  /** True if controllers moved in it, or sound was recorded beside the keys. */
  readonly touched?: boolean;
}

/**
 * Closes a layer over what was recorded: from the range's start to where recording ended. It also closes the layer of a
 * pass that was cut off.
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
  // Places are whole ticks, so that equal places never differ by rounding.
  const from = Math.round(header.planned.from);
  const to = Math.round(header.planned.to);
  // The tick in which the player pressed Stop is recorded.
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
  // A lap without notes leaves existing notes as they are.
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

/** Test for a message that a part records. A release goes to every part that may have its note. */
export const takesIn = (part: ListeningPart, { at, port, message }: Heard): boolean =>
  admits(part.route, port, message) && (message.type === 'noteOff' || listensAt(part, at));

/** Events of one armed part, in order, on the song's clock. */
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

/** Messages at or after a moment, in order. */
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
    // Messages up to the moment at which a part was disarmed are recorded, wherever placement puts them.
    const left = part.to === null ? Infinity : part.to + shiftOf(placement, latency) * speed;
    // A part that was disarmed at the very start keeps a note struck just ahead of it, with a tick to have it in;
    // unless the lap is dropped, and the note belongs to the lap before.
    const atStart = part.to !== null && part.from < startsAt && ended.at > startsAt;
    const at = Math.max(Math.min(ended.at, left), atStart ? startsAt + INSTANT : -Infinity);
    const rings = ended.rings > ended.at ? tickAt(tempo, ended.rings - frame) : undefined;
    // A part that was armed or disarmed in mid-lap has no lap boundary there.
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
