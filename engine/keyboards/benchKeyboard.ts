import { seeded } from '../../core/random';
import type { Milliseconds, Seconds } from '../../core/time/units';
import type { KeyEvent, KeyListener, KeyPort } from './port';

/** Message of the Bench keyboard with its time on the clock that it plays by. */
export interface TimedMessage {
  readonly at: Seconds;
  readonly data: readonly number[];
}

/** Page time at which that clock reads `at`, as known now. */
export type HandClock = (at: Seconds) => Milliseconds;

/** Notes of one lap of a loop. */
export type GoesOn = (lap: number) => readonly TimedMessage[];

export interface BenchKeyboardPort extends KeyPort {
  /**
   * Plays a performance; one that is still going on is broken off, its notes released. A player follows what is
   * heard: when each note is due is asked of the clock again and again, not once at the start.
   * @param goesOn what is played the next time round, from 1; asked for while the time before is played
   */
  readonly perform: (messages: readonly TimedMessage[], clock: HandClock, goesOn?: GoesOn) => void;
  readonly stop: () => void;
  /** Delivers events late by a random time up to this, with their true time stamps, like a busy page. */
  lateness: Milliseconds;
}

/** Timer that runs fast also on a hidden page. */
export type Ticker = (callback: () => void) => () => void;

const inTime = (messages: readonly TimedMessage[]): TimedMessage[] => [...messages].sort((a, b) => a.at - b.at);

/**
 * Simulated port that ships with the program. Like a real one it sends bytes with time stamps, delivered when the page
 * is ready.
 */
export function benchKeyboardPort(ticker: Ticker, now: () => Milliseconds): BenchKeyboardPort {
  const listeners = new Set<KeyListener>();
  const held = new Set<number>();
  const random = seeded(23);
  let waiting: TimedMessage[] = [];
  let clock: HandClock = () => Infinity;
  /** Laps of a loop are prepared one ahead, as a lap's first note may be ahead of the boundary. */
  let goesOn: GoesOn | undefined;
  let laps = 0;
  let lastLapBegins: Seconds = Infinity;
  const late: { event: KeyEvent; due: Milliseconds }[] = [];
  let stopTicking: (() => void) | undefined;

  const deliver = (event: KeyEvent) => listeners.forEach((listener) => listener(event));
  const send = (data: readonly number[], timeStamp: Milliseconds) => {
    const kind = data[0]! >> 4;
    if (kind === 9) held.add(data[1]!);
    else if (kind === 8) held.delete(data[1]!);
    const event: KeyEvent = { data, timeStamp };
    if (port.lateness <= 0) deliver(event);
    // Late events stay in order, as a port is a queue.
    else late.push({ event, due: Math.max(late.at(-1)?.due ?? 0, now() + random.unit() * port.lateness) });
  };
  const addLap = (): void => {
    const messages = inTime(goesOn?.((laps += 1)) ?? []);
    lastLapBegins = messages[0]?.at ?? Infinity;
    waiting = inTime([...waiting, ...messages]);
  };
  const tick = () => {
    const time = now();
    if (clock(lastLapBegins) <= time) addLap();
    for (let next = waiting[0]; next && clock(next.at) <= time; next = waiting[0]) {
      send(next.data, clock(next.at));
      waiting.shift();
    }
    while (late.length && late[0]!.due <= time) deliver(late.shift()!.event);
    if (!waiting.length && !late.length) {
      stopTicking?.();
      stopTicking = undefined;
    }
  };
  const port: BenchKeyboardPort = {
    id: 'bench',
    name: 'Bench keyboard',
    kind: 'bench',
    lateness: 0,
    listen(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    perform(messages, by, more) {
      port.stop();
      clock = by;
      waiting = inTime(messages);
      goesOn = more;
      laps = 0;
      if (more) addLap();
      stopTicking ??= ticker(tick);
    },
    stop() {
      waiting = [];
      goesOn = undefined;
      lastLapBegins = Infinity;
      const time = now();
      for (const key of [...held]) send([0x80, key, 64], time);
      send([0xb0, 64, 0], time);
    },
  };
  return port;
}
