import type { Note } from '../performance/notes';
import type { LayerEvent } from '../takes/layer';
import type { Seconds } from '../time/units';
import { takesIn, type Heard, type HeardList, type Lap, type ListeningPart } from './lap';
import { readSoFar } from './hearingWhileRecording';

/** Time after which messages are in order, and none that comes later is placed before them. */
const SETTLES: Seconds = 2;

/**
 * Notes of a part in the current lap, for drawing several times a second: an hour has tens of thousands. Notes released
 * some time ago, with all keys up, are not read again. Their ids are not the layer's.
 */
export class NotesSoFar {
  /** Id of the followed layer, and the newest message of its lap that was read. */
  #layer = '';
  #known: HeardList | null = null;
  #settled: readonly Note[] = [];
  #tail: LayerEvent[] = [];

  of(lap: Lap, part: ListeningPart, now: Seconds): readonly Note[] {
    this.#takeIn(lap, part);
    this.#settle(lap, part, now);
    const { notes } = readSoFar(lap, part, this.#tail, now);
    return this.#settled.length > 0 ? [...this.#settled, ...notes] : notes;
  }

  #takeIn(lap: Lap, part: ListeningPart): void {
    const come: Heard[] = [];
    let at = lap.recorded;
    for (; at && at !== this.#known; at = at.before) come.push(at.heard);
    // For another layer, or a list that does not continue the known one, everything is read again.
    if (this.#layer !== part.header.id || at !== this.#known) {
      this.#settled = [];
      this.#tail = [];
      if (at !== null) for (; at; at = at.before) come.push(at.heard);
    }
    this.#layer = part.header.id;
    this.#known = lap.recorded;
    for (let i = come.length - 1; i >= 0; i -= 1) {
      const heard = come[i]!;
      if (takesIn(part, heard)) this.#tail.push({ at: heard.at - lap.frame, message: heard.message });
    }
  }

  #settle(lap: Lap, part: ListeningPart, now: Seconds): void {
    const until = now - lap.frame - SETTLES;
    const down = new Map<number, number>();
    let last = -1;
    for (let i = 0; i < this.#tail.length; i += 1) {
      const { at, message } = this.#tail[i]!;
      if (at > until) break;
      if (message.type === 'noteOn') down.set(message.key, (down.get(message.key) ?? 0) + 1);
      else if (message.type === 'noteOff') {
        const times = down.get(message.key) ?? 0;
        if (times > 1) down.set(message.key, times - 1);
        else down.delete(message.key);
      }
      if (down.size === 0) last = i;
    }
    if (last < 0) return;
    const { notes } = readSoFar(lap, part, this.#tail.slice(0, last + 1), now);
    this.#settled = [...this.#settled, ...notes];
    this.#tail = this.#tail.slice(last + 1);
  }
}
