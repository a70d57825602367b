import type { Milliseconds } from '../time/units';
import type { BufferedEvent, IsLive, LookBackBuffer, Passage, Taking } from './buffer';

/** Silence that separates two freely played phrases. */
const PHRASE_SILENCE: Milliseconds = 6000;
/** Longest time that a held key prevents a silence, in case its release never came. */
const HELD_SILENCE: Milliseconds = 60_000;

interface Group {
  readonly events: BufferedEvent[];
  readonly roll: string | null;
  readonly song: string;
  notes: number;
  /** Events as they were shown last: the group may grow, what was shown does not change. */
  shown: readonly BufferedEvent[];
}

/** Groups events into passages in order, each event once. */
class Grouping {
  readonly events: readonly BufferedEvent[];
  readonly live: readonly Taking[];
  readonly #groups: Group[] = [];
  #gone = 0;
  #last: Group | undefined;
  #listening: number | undefined;
  #song = '';
  #wall: Milliseconds = 0;
  #lastTaken = -1;
  readonly #down = new Set<string>();
  #nextTaking = 0;
  #reach = -Infinity;

  /** @param live takings in force, by their first event */
  constructor(events: readonly BufferedEvent[], live: readonly Taking[]) {
    this.events = events;
    this.live = live;
  }

  /** Test whether the grouped events are the beginning of a buffer. */
  goesOn({ events }: LookBackBuffer, live: readonly Taking[]): boolean {
    const same = live.length === this.live.length && live.every((taking, i) => taking === this.live[i]);
    return events === this.events && events.length >= this.#gone && same;
  }

  #isTaken(seq: number): boolean {
    for (; this.#nextTaking < this.live.length && this.live[this.#nextTaking]!.from <= seq; this.#nextTaking += 1)
      this.#reach = Math.max(this.#reach, this.live[this.#nextTaking]!.to);
    return seq <= this.#reach;
  }

  #add(event: BufferedEvent, listenings: LookBackBuffer['listenings']): void {
    const { message } = event;
    const key = message.type === 'noteOn' || message.type === 'noteOff' ? `${event.port} ${message.key}` : '';
    const silence = this.#down.size > 0 ? HELD_SILENCE : PHRASE_SILENCE;
    if (message.type === 'noteOn') this.#down.add(key);
    else if (message.type === 'noteOff') this.#down.delete(key);
    if (this.#isTaken(event.seq)) {
      this.#last = undefined;
      this.#lastTaken = event.seq;
      return;
    }
    const roll = event.place === null ? null : event.place.roll;
    if (event.listening !== this.#listening) {
      this.#listening = event.listening;
      this.#song = listenings.get(event.listening)?.song ?? '';
    }
    const silent = roll === null && event.wall - this.#wall > silence;
    if (silent) {
      this.#down.clear();
      if (message.type === 'noteOn') this.#down.add(key);
    }
    if (!this.#last || this.#last.roll !== roll || this.#last.song !== this.#song || silent) {
      this.#last = { events: [], roll, song: this.#song, notes: 0, shown: [] };
      this.#groups.push(this.#last);
    }
    this.#last.events.push(event);
    if (message.type === 'noteOn') this.#last.notes += 1;
    this.#wall = event.wall;
  }

  /** Adds the events that have come since. */
  passages({ rolls, listenings }: LookBackBuffer): Passage[] {
    for (; this.#gone < this.events.length; this.#gone += 1) this.#add(this.events[this.#gone]!, listenings);
    return this.#groups
      .filter(({ notes }) => notes > 0)
      .map((group): Passage => {
        if (group.shown.length !== group.events.length) group.shown = [...group.events];
        const { shown, song, roll, notes } = group;
        const rolled = roll === null ? null : (rolls.get(roll) ?? null);
        return { events: shown, song, roll: rolled, notes, fresh: shown[0]!.seq > this.#lastTaken };
      });
  }
}

/**
 * Passages of what is held and in no take, oldest first: parted where something was recorded or kept in between, where
 * rolling began or ended, where another song was opened, and by silences while nothing rolled. A night of playing is
 * asked for several times a second: of a buffer that has only grown, what is new is gone through.
 */
export class Passages {
  #grouping: Grouping | null = null;

  in(buffer: LookBackBuffer, isLive: IsLive): Passage[] {
    const live = buffer.takings.filter((t) => isLive(t.by)).sort((a, b) => a.from - b.from);
    if (!this.#grouping?.goesOn(buffer, live)) this.#grouping = new Grouping(buffer.events, live);
    return this.#grouping.passages(buffer);
  }
}

/** Passages of a buffer that is read once. */
export const passagesIn = (buffer: LookBackBuffer, isLive: IsLive): Passage[] => new Passages().in(buffer, isLive);
