import { bytesFromMessage, messageFromBytes } from '../../core/performance/messages';
import type { ClickStroke, Scheduled } from '../instrument/schedule';

/**
 * Schedule for the audio thread: each event as a time in seconds and four bytes, channel and MIDI message. Twenty
 * thousand objects would block both threads for a tenth of a second.
 */
export interface PackedSchedule {
  readonly at: Float64Array;
  readonly words: Uint32Array;
}

/** Channel number that marks a click. */
const CLICK = 255;
const STROKES: readonly ClickStroke[] = ['bar', 'group', 'beat', 'sub'];

export function packSchedule(events: readonly Scheduled[]): PackedSchedule {
  const at = new Float64Array(events.length);
  const words = new Uint32Array(events.length);
  events.forEach((event, i) => {
    at[i] = event.at;
    if ('click' in event) {
      words[i] = ((CLICK << 24) | STROKES.indexOf(event.click)) >>> 0;
      return;
    }
    const [status = 0, a = 0, b = 0] = bytesFromMessage(event.message);
    words[i] = ((event.channel << 24) | (status << 16) | (a << 8) | b) >>> 0;
  });
  return { at, words };
}

/** Inverse of `packSchedule`. */
export function unpackSchedule({ at, words }: PackedSchedule): Scheduled[] {
  const events: Scheduled[] = [];
  const bytes = [0, 0, 0];
  for (let i = 0; i < at.length; i += 1) {
    const word = words[i]!;
    const channel = word >>> 24;
    if (channel === CLICK) {
      events.push({ at: at[i]!, click: STROKES[word & 255]! });
      continue;
    }
    for (let k = 0; k < 3; k += 1) bytes[k] = (word >>> (16 - 8 * k)) & 255;
    const message = messageFromBytes(bytes);
    if (message) events.push({ at: at[i]!, channel, message });
  }
  return events;
}
