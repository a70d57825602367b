import { clamp } from '../numbers';
import {
  atRest,
  firstAt,
  laneOf,
  messageOf,
  restoreBefore,
  valuesBefore,
  type ControlEvent,
  type Lane,
} from '../performance/controls';
import { BEND_CENTRE } from '../performance/messages';
import { inRange, type TickRange, type Ticks } from '../time/units';
import type { TempoWarp } from '../time/tempoWarp';
import type { Edit, Moved } from './edits';

type LaneEdit = Extract<Edit, TickRange>;

/** Events of edited lanes, each in time order, and the untouched controllers. */
interface Lanes {
  /** Events by lane, the lane of the last edit last. */
  readonly edited: Map<Lane, ControlEvent[]>;
  rest: readonly ControlEvent[];
}

const isOfLane =
  (lane: Lane) =>
  ({ message }: ControlEvent): boolean =>
    laneOf(message) === lane;

/** All lanes as one list in time order; at one tick later edits come later. */
const together = ({ rest, edited }: Lanes): ControlEvent[] =>
  [...rest, ...[...edited.values()].flat()].sort((a, b) => a.at - b.at);

/** Controllers of a take after edits of their lanes, in order. Each edit walks its own range of its lane only. */
export class LaneEditor {
  readonly #original: readonly ControlEvent[];
  readonly #originals = new Map<Lane, readonly ControlEvent[]>();
  #lanes: Lanes;
  #touched = false;

  /** @param controls in time order */
  constructor(controls: readonly ControlEvent[]) {
    this.#original = controls;
    this.#lanes = { edited: new Map(), rest: controls };
  }

  edit(edit: LaneEdit, moved: Moved | null): void {
    const now = moved ? moved.now : (tick: Ticks) => tick;
    const range = { from: now(edit.from), to: now(edit.to) };
    if (range.to <= range.from) return;
    this.#touched = true;
    const { lane } = edit;
    if (lane === null) {
      // An edit of all lanes joins them into one list.
      const whole = together(this.#lanes);
      this.#lanes = { edited: new Map(), rest: editedIn(whole, this.#original, edit, range, now) };
      return;
    }
    const own = this.#lanes.edited.get(lane) ?? this.#takenOut(lane);
    this.#lanes.edited.delete(lane);
    this.#lanes.edited.set(lane, editedIn(own, this.#originalOf(lane), edit, range, now));
  }

  /** Present controllers; the same list where nothing was edited. */
  controls(): readonly ControlEvent[] {
    return this.#touched ? together(this.#lanes) : this.#original;
  }

  #takenOut(lane: Lane): ControlEvent[] {
    const own = this.#lanes.rest.filter(isOfLane(lane));
    if (own.length > 0) this.#lanes.rest = this.#lanes.rest.filter((c) => !isOfLane(lane)(c));
    return own;
  }

  #originalOf(lane: Lane): readonly ControlEvent[] {
    const known = this.#originals.get(lane) ?? this.#original.filter(isOfLane(lane));
    this.#originals.set(lane, known);
    return known;
  }
}

/** Events after an edit in a range. */
function editedIn(
  own: readonly ControlEvent[],
  original: readonly ControlEvent[],
  edit: LaneEdit,
  range: TickRange,
  now: TempoWarp,
): ControlEvent[] {
  const [first, last] = [firstAt(own, range.from), firstAt(own, range.to)];
  // The value of one lane is in the event before; those of all lanes need all earlier events.
  const near = edit.lane === null ? own.slice(0, last) : own.slice(Math.max(0, first - 1), last);
  const inside = insideOf(near, original, edit, range, now).sort((a, b) => a.at - b.at);
  let there = last;
  while (there < own.length && own[there]!.at === range.to) there += 1;
  const [held, before] = [valuesBefore(inside, Infinity), valuesBefore(near, range.to)];
  const back = restoreBefore(held, before, range.to, own.slice(last, there));
  return own.slice(0, first).concat(inside, back, own.slice(last));
}

/** Events of a lane in an edited range, with the value at its start. */
function insideOf(
  own: readonly ControlEvent[],
  original: readonly ControlEvent[],
  edit: Extract<Edit, TickRange>,
  range: TickRange,
  now: TempoWarp,
): ControlEvent[] {
  const { from } = range;
  const held = valuesBefore(own, from);
  if (edit.op === 'give lane back') {
    const there = original.filter((c) => inRange(c.at, range));
    return [...restoreBefore(held, valuesBefore(original, from), from, there), ...there];
  }
  if (edit.op === 'draw') {
    const points = edit.points.flatMap(([at, value]): ControlEvent[] => {
      const message = messageOf(edit.lane, value);
      const place = now(at);
      return message && inRange(place, range) ? [{ at: place, message }] : [];
    });
    return [...restoreBefore(held, new Map(), from, points), ...points];
  }
  const scaled = ({ at, message }: ControlEvent): ControlEvent => {
    const rest = atRest(message)?.value ?? 0;
    const most = message.type === 'bend' ? 2 * BEND_CENTRE - 1 : 127;
    const value = clamp(Math.round(rest + (message.value - rest) * edit.times + edit.by), 0, most);
    return { at, message: { ...message, value } };
  };
  const there = own.filter((c) => inRange(c.at, range));
  const already = there.some((c) => c.at === from);
  const first = already ? [] : [...held.values()].map((message) => scaled({ at: from, message }));
  return [...first, ...there.map(scaled)];
}
