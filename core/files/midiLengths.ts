import { DamagedFile } from './damaged';

const META = 0xff;
const EXCLUSIVE: ReadonlySet<number> = new Set([0xf0, 0xf7]);
/** Most bytes of a variable-length quantity (Standard MIDI Files 1.0). */
const MOST_BYTES = 4;

/** Number of data bytes after a channel message's status. */
const dataBytes = (status: number): number => (status >> 4 === 0xc || status >> 4 === 0xd ? 1 : 2);

/** Longest text; more is cut, as the parser passes each byte as an argument. */
const LONGEST_TEXT = 16_000;
/** The same length as a variable-length quantity. */
const LONGEST_WRITTEN = [0x80 | (LONGEST_TEXT >> 7), LONGEST_TEXT & 0x7f] as const;
/** Highest type of a text meta event. */
const LAST_TEXT = 0x0f;

/**
 * A track's events with no text that is too long for the parser. They are gone through by their lengths alone: the
 * parser does not look where a track ends; what reaches beyond it, or says a length of no number, it reads for ever.
 * @param events what stands in the track's chunk
 * @param number the track's, from 1, for the words
 * @throws DamagedFile
 */
export function readableEvents(events: Uint8Array, number: number): Uint8Array {
  const pieces: Uint8Array[] = [];
  let copied = 0;
  let at = 0;
  const next = (): number => {
    if (at >= events.length) throw new DamagedFile(`Track ${number} of the MIDI file is cut short inside an event.`);
    at += 1;
    return events[at - 1]!;
  };
  const quantity = (): number => {
    let value = 0;
    for (let bytes = 0; bytes < MOST_BYTES; bytes += 1) {
      const byte = next();
      value = value * 128 + (byte & 0x7f);
      if (byte < 0x80) return value;
    }
    throw new DamagedFile(`Track ${number} of the MIDI file says a length that is none.`);
  };
  const over = (count: number): void => {
    if (at + count > events.length)
      throw new DamagedFile(`Track ${number} of the MIDI file is cut short inside an event.`);
    at += count;
  };
  /** Running status of the event before. */
  let running = 0;
  while (at < events.length) {
    quantity();
    const first = next();
    if (first === META) {
      const kind = next();
      const before = at;
      const length = quantity();
      const begins = at;
      over(length);
      if (kind <= LAST_TEXT && length > LONGEST_TEXT) {
        pieces.push(events.subarray(copied, before), Uint8Array.from(LONGEST_WRITTEN));
        pieces.push(events.subarray(begins, begins + LONGEST_TEXT));
        copied = at;
      }
    } else if (EXCLUSIVE.has(first)) over(quantity());
    else if (first > 0xf0 || (first < 0x80 && running === 0))
      throw new DamagedFile('The MIDI file holds bytes that are not MIDI events.');
    else if (first < 0x80) over(dataBytes(running) - 1);
    else {
      running = first;
      over(dataBytes(first));
    }
  }
  if (pieces.length === 0) return events;
  pieces.push(events.subarray(copied));
  const whole = new Uint8Array(pieces.reduce((sum, p) => sum + p.length, 0));
  let filled = 0;
  for (const piece of pieces) {
    whole.set(piece, filled);
    filled += piece.length;
  }
  return whole;
}
