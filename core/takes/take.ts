import {
  atRest,
  valuesBefore,
  laneOf,
  restoreBefore,
  type ControlEvent,
  type ControllerValues,
  type Lane,
} from '../performance/controls';
import type { ControlMessage } from '../performance/messages';
import type { Clearing } from './clearing';
import { byStart, SILENCE, type Note, type Reading } from '../performance/notes';
import { NOT_TRANSPOSED, transposed, type Transposition } from '../performance/transposition';
import type { Placement } from '../placement/place';
import { inRange, type TickRange, type Ticks } from '../time/units';
import { warpRange, type TempoWarp } from '../time/tempoWarp';
import { readLayer, type Layer } from './layer';
import { belongsTo } from '../performance/intendedPlace';

/** Two lists sorted by time. The sort is stable: at one tick `under` comes before `over`. */
const inTime = (under: readonly ControlEvent[], over: readonly ControlEvent[]): ControlEvent[] =>
  [...under, ...over].sort((a, b) => a.at - b.at);

const isOf =
  (lane: Lane | undefined) =>
  ({ message }: ControlEvent): boolean =>
    lane === undefined || laneOf(message) === lane;

/** Values of the controllers at a place, with those that move right there. */
const valuesAt = (events: readonly ControlEvent[], at: Ticks): Map<Lane, ControlMessage> =>
  valuesBefore(
    events.filter((e) => e.at <= at),
    Infinity,
  );

/**
 * Clears one range of some controllers: their movements in it go; at its start they are at rest, or have the value of
 * what is merged over them there; at its end they have the value of `uncleared`, or of what is merged over them.
 * @param over controllers that are merged over them later
 * @param ends where those end
 * @param uncleared the controllers before any range was cleared: an earlier range leaves out what `over` holds there
 */
function clearControls(
  controls: readonly ControlEvent[],
  { from, to, lane }: Clearing,
  over: readonly ControlEvent[],
  ends: Ticks,
  uncleared: readonly ControlEvent[],
): ControlEvent[] {
  const touched = controls.filter(isOf(lane));
  const early = touched.filter((c) => c.at < from);
  const late = touched.filter((c) => c.at >= to);
  const own = over.filter(isOf(lane));
  const before = valuesBefore(early, from);
  const begin = restoreBefore(before, valuesAt(own, from), from, own);
  // Controllers of the upper reading that go on beyond the range keep their values, where they are not at rest.
  const goesOn = to < ends ? valuesAt(own, to) : new Map<Lane, ControlMessage>();
  const held = valuesBefore(uncleared.filter(isOf(lane)), to);
  const back = restoreBefore(new Map(), held, to, late).filter(({ message }) => {
    const value = goesOn.get(laneOf(message));
    return value === undefined || value.value === atRest(value)?.value;
  });
  return [...early, ...begin, ...back, ...late];
}

/**
 * Clears ranges: notes that start in one go, wherever they end; a note that rings into one is cut at its start. Inside,
 * a controller is what is merged over it, or at rest, whatever was beneath. A range with a lane clears that controller
 * alone.
 * @param over what will be merged over it, by `merge`
 * @param ends where that ends
 */
export function clear(
  reading: Reading,
  ranges: readonly Clearing[],
  over: Reading = SILENCE,
  ends: Ticks = Infinity,
): Reading {
  return ranges.reduce((before, range) => {
    // An empty reading has nothing to clear: what is merged over it says for itself what it holds.
    const isEmpty = before.notes.length === 0 && before.controls.length === 0;
    if (isEmpty || range.to <= range.from) return before;
    const { lane } = range;
    const controls = clearControls(before.controls, range, over.controls, ends, reading.controls);
    if (lane)
      return {
        notes: before.notes,
        controls: inTime(
          before.controls.filter((c) => laneOf(c.message) !== lane),
          controls,
        ),
      };
    const notes = before.notes
      .filter((note) => !inRange(note.start, range))
      .map((note) => (note.start < range.from && note.end > range.from ? { ...note, end: range.from } : note));
    return { notes, controls };
  }, reading);
}

/**
 * Merges one reading over another. Notes sound together; where the upper moved a controller, the lower one's
 * value comes back at the end of the upper's range.
 * @param beneath the lower one as it would be at the end of the range without the upper, where something of it was
 *   cleared
 */
export function merge(under: Reading, over: Reading, range: TickRange, beneath: Reading = under): Reading {
  if (under.notes.length === 0 && under.controls.length === 0) return over;
  const notes: Note[] = [...under.notes, ...over.notes].sort(byStart);
  const moved = new Set(over.controls.map((c) => laneOf(c.message)));
  // At the range's end the upper reading comes to rest; the values after it come from both, once.
  const both = inTime(
    under.controls.filter((c) => c.at < range.to),
    over.controls.filter((c) => c.at < range.to),
  );
  const later = under.controls.filter((c) => c.at >= range.to);
  const only = (values: ControllerValues): ControllerValues => new Map([...values].filter(([lane]) => moved.has(lane)));
  const back = restoreBefore(
    only(valuesBefore(both, range.to)),
    only(valuesBefore(beneath.controls, range.to)),
    range.to,
    later,
  );
  return { notes, controls: inTime([...both, ...back], later) };
}

/**
 * Reading of one range: the notes that belong there, and the controllers, which come and go with it.
 * @param ends where the reading ends: what it says up to there goes with its last range
 */
export function windowed({ notes, controls }: Reading, window: TickRange, ends: Ticks): Reading {
  const inside = controls.filter((c) => inRange(c.at, window));
  return {
    notes: notes.filter((n) => belongsTo(n, window, window.to < ends)),
    controls: [
      ...restoreBefore(new Map(), valuesBefore(controls, window.from), window.from, inside),
      ...inside,
      ...restoreBefore(valuesBefore(controls, window.to), new Map(), window.to, []),
    ],
  };
}

/** Layer of a take, with the take's own placement of it. */
export interface Placed {
  readonly layer: Layer;
  /** Placement of the layer; the take's, if missing. */
  readonly placement?: Placement | undefined;
  /** Tempo warp of its song time since it was recorded. */
  readonly warp?: TempoWarp | undefined;
  /** Ranges of this take in which the layer lies; everywhere, if missing. */
  readonly windows?: readonly TickRange[] | undefined;
  /** Transposition since it was played; none, if missing. */
  readonly transposition?: Transposition;
}

const cutTo = <T extends TickRange>(ranges: readonly T[], window: TickRange): T[] =>
  ranges
    .map((r) => ({ ...r, from: Math.max(r.from, window.from), to: Math.min(r.to, window.to) }))
    .filter((r) => r.to > r.from);

/** Ranges of a layer in its take, and what it clears in the layers beneath, both in the take's song time. */
function clearedBy({ layer, warp, windows }: Placed): { readonly ranges: TickRange[]; readonly clears: Clearing[] } {
  const moved = <T extends TickRange>(range: T): T => (warp ? warpRange(range, warp) : range);
  const range = moved(layer.closing.range);
  const ranges = windows ? cutTo(windows.map(moved), range) : [range];
  const clears = layer.closing.clears.map(moved);
  return { ranges, clears: ranges.flatMap((window) => cutTo(clears, window)) };
}

/**
 * Place from which a layer's notes are cleared by the layers above it, for a note that rings into the take.
 * @param layers of the take, bottom first
 * @returns `from` or later; Infinity where nothing is cleared from there on, or the layer is not in the take
 */
export function clearedFrom(layers: readonly Placed[], layer: string, from: Ticks): Ticks {
  const own = layers.findIndex((placed) => placed.layer.header.id === layer);
  const clears = own < 0 ? [] : layers.slice(own + 1).flatMap((placed) => clearedBy(placed).clears);
  return Math.min(
    ...clears.filter(({ lane, to }) => lane === undefined && to > from).map((c) => Math.max(c.from, from)),
    Infinity,
  );
}

/** A take's layers, bottom first, as one reading. */
export function readTake(layers: readonly (Layer | Placed)[], placement: Placement): Reading {
  return layers.reduce((under: Reading, given) => {
    const placed: Placed = 'layer' in given ? given : { layer: given };
    const { layer, warp, windows } = placed;
    const read = readLayer(layer, placed.placement ?? placement, warp);
    const own = transposed(read, placed.transposition ?? NOT_TRANSPOSED);
    const { ranges, clears } = clearedBy(placed);
    const ends = warp ? warpRange(layer.closing.range, warp).to : layer.closing.range.to;
    const merged = ranges.map((window) => ({ window, over: windows ? windowed(own, window, ends) : own }));
    // First what lies beneath goes, in all of its ranges; what one of them merges is not cleared by the next.
    const beneath = clear(under, clears);
    const cleared = merged.reduce(
      (below, { window, over }) => clear(below, cutTo(clears, window), over, window.to),
      under,
    );
    return merged.reduce((below, { window, over }) => merge(below, over, window, beneath), cleared);
  }, SILENCE);
}
