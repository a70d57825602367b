import { firstAtOrAfter } from '../numbers';
import type { Ticks } from '../time/units';
import { BEND_CENTRE, type ControlMessage } from './messages';

export interface ControlEvent {
  readonly at: Ticks;
  readonly message: ControlMessage;
}

/** Lane of a control message. Messages of one lane overwrite each other. */
export type Lane = string;

/** Last message of each lane: the controllers' values. */
export type ControllerValues = ReadonlyMap<Lane, ControlMessage>;

/** @example laneOf({ type: 'control', controller: 64, value: 127 }) // 'control 64' */
export function laneOf(message: ControlMessage): Lane {
  switch (message.type) {
    case 'control':
      return `control ${message.controller}`;
    case 'keyPressure':
      return `keyPressure ${message.key}`;
    default:
      return message.type;
  }
}

/**
 * Message that sets a lane to a value; undefined for text that is no lane's.
 * @example messageOf('control 64', 0) // { type: 'control', controller: 64, value: 0 }
 */
export function messageOf(lane: Lane, value: number): ControlMessage | undefined {
  const [type, number] = lane.split(' ');
  switch (type) {
    case 'control':
      return { type, controller: Number(number), value };
    case 'keyPressure':
      return { type, key: Number(number), value };
    case 'bend':
    case 'pressure':
    case 'program':
      return { type, value };
    default:
      return undefined;
  }
}

/** Controllers that rest elsewhere than at 0: volume, balance, pan, expression (MIDI 1.0, RP-015). */
const RESTS: Readonly<Record<number, number>> = { 7: 100, 8: 64, 10: 64, 11: 127, 71: 64, 72: 64, 73: 64, 74: 64 };

/**
 * Lane at rest; undefined for a program, which has none.
 * @example atRest({ type: 'bend', value: 0 }) // { type: 'bend', value: 8192 }
 */
export function atRest(message: ControlMessage): ControlMessage | undefined {
  switch (message.type) {
    case 'control':
      return { ...message, value: RESTS[message.controller] ?? 0 };
    case 'bend':
      return { ...message, value: BEND_CENTRE };
    case 'program':
      return undefined;
    default:
      return { ...message, value: 0 };
  }
}

/** Values of the controllers just before `tick`. @param controls in time order */
export function valuesBefore(events: readonly ControlEvent[], tick: Ticks): Map<Lane, ControlMessage> {
  const values = new Map<Lane, ControlMessage>();
  for (const { at, message } of events) {
    if (at >= tick) break;
    values.set(laneOf(message), message);
  }
  return values;
}

/** Index of the first event at or after a tick. @param controls in time order */
export const firstAt = (events: readonly ControlEvent[], tick: Ticks): number =>
  firstAtOrAfter(events, tick, (e) => e.at);

/** Follows the controllers' values from tick to tick, like `valuesBefore` without starting anew each time. */
export function valuesAlong(events: readonly ControlEvent[]): (tick: Ticks) => ControllerValues {
  let values = new Map<Lane, ControlMessage>();
  let next = 0;
  return (tick) => {
    if (next > 0 && events[next - 1]!.at >= tick) [values, next] = [new Map(), 0];
    else values = new Map(values);
    for (; next < events.length && events[next]!.at < tick; next += 1)
      values.set(laneOf(events[next]!.message), events[next]!.message);
    return values;
  };
}

/** Events at `at` that change the controllers from one state to another; a lane that the other lacks goes to rest. */
export function restore(from: ControllerValues, to: ControllerValues, at: Ticks): ControlEvent[] {
  const events: ControlEvent[] = [];
  for (const lane of new Set([...from.keys(), ...to.keys()])) {
    const now = from.get(lane);
    const rest = atRest((now ?? to.get(lane))!);
    const wanted = to.get(lane) ?? rest;
    const present = now ?? rest;
    if (wanted && wanted.value !== present?.value) events.push({ at, message: wanted });
  }
  return events;
}

/**
 * Like `restore`, before events that follow: a controller that one of them moves at that place is left out. A pedal
 * that is down in both readings is not released and pressed again.
 */
export function restoreBefore(
  from: ControllerValues,
  to: ControllerValues,
  at: Ticks,
  following: readonly ControlEvent[],
): ControlEvent[] {
  const moved = new Set<Lane>();
  for (const { at: when, message } of following) if (when === at) moved.add(laneOf(message));
  return restore(from, to, at).filter(({ message }) => !moved.has(laneOf(message)));
}
