import { atRest, laneOf, messageOf, restoreBefore, valuesBefore, type ControlEvent } from '../performance/controls';
import { BEND_CENTRE } from '../performance/messages';
import { inRange, type TickRange, type Ticks } from '../time/units';
import type { Warp } from '../time/warp';
import type { Edit, Moved } from './edits';

const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value));

/** A take's controllers with one of them changed in a range, by an edit of a lane. */
export function editControls(
  controls: readonly ControlEvent[],
  original: readonly ControlEvent[],
  edit: Extract<Edit, TickRange>,
  moved: Moved | null,
): readonly ControlEvent[] {
  const now = moved ? moved.now : (tick: Ticks) => tick;
  const range = { from: now(edit.from), to: now(edit.to) };
  if (range.to <= range.from) return controls;
  const isOf = ({ message }: ControlEvent) => edit.lane === null || laneOf(message) === edit.lane;
  const own = controls.filter(isOf);
  const before = own.filter((c) => c.at < range.from);
  const after = own.filter((c) => c.at >= range.to);
  const inside = insideOf(own, original.filter(isOf), edit, range, now);
  const held = valuesBefore(inside, Infinity);
  const back = restoreBefore(held, valuesBefore(own, range.to), range.to, after);
  return [...controls.filter((c) => !isOf(c)), ...before, ...inside, ...back, ...after].sort((a, b) => a.at - b.at);
}

/** What a lane says in a range once it is edited, with what it holds at the range's start. */
function insideOf(
  own: readonly ControlEvent[],
  original: readonly ControlEvent[],
  edit: Extract<Edit, TickRange>,
  range: TickRange,
  now: Warp,
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
