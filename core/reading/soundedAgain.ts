/**
 * The line's sound where it was sounded again: played out to the outside instrument, as it was picked and tidied, and
 * recorded from it. It is the line's and no take's. It counts bar by bar, as long as the line sounds there as it did
 * then: what is changed since has its takes' sound, and with the change taken back it counts again.
 */
import type { SongMaps } from '../document/maps';
import type { Part, SoundedAgain } from '../document/part';
import { fingerprint } from '../document/take';
import { laneOf } from '../performance/controls';
import { meansPlace } from '../performance/intendedPlace';
import type { Reading } from '../performance/notes';
import { barAt, barStart } from '../time/meter';
import { bpmAt, secondsAt } from '../time/tempo';
import { CLOCK_PRECISION, type Seconds, type TickRange, type Ticks } from '../time/units';

/** Bars with the sound of one playing-out, at the line's places. */
export interface SoundedRange extends TickRange {
  readonly again: SoundedAgain;
  /** Place of `from` on the rolling clock of that playing-out. */
  readonly at: Seconds;
  /** The bars, the last one included. */
  readonly first: number;
  readonly last: number;
}

const barsOf = ({ meter, end }: SongMaps): number => Math.max(1, barAt(meter, end - 1));

/** Bar that a note means. */
function barMeant({ meter }: SongMaps, note: { readonly start: Ticks; readonly end: Ticks }): number {
  const bar = Math.max(1, barAt(meter, note.start));
  return meansPlace(note, barStart(meter, bar + 1)) ? bar + 1 : bar;
}

/**
 * Fingerprints of what each bar of a line asks of an instrument, bar 1 first, as short text: its notes and controllers,
 * what rings into it, what the controllers hold as it begins, and its tempo. The same text, the same sound.
 */
export function soundFingerprints({ notes, controls }: Reading, maps: SongMaps): string[] {
  const { meter, tempo } = maps;
  const count = barsOf(maps);
  const said: (string | number)[][] = Array.from({ length: count }, () => []);
  for (const note of notes) {
    const bar = barMeant(maps, note);
    const { key, velocity, release } = note;
    const [start, end] = [Math.round(note.start), Math.round(note.end)];
    said[bar - 1]?.push(start, end, key, velocity, release);
    const last = Math.min(count, barAt(meter, Math.max(note.start, note.end - 1)));
    for (let into = bar + 1; into <= last; into += 1) said[into - 1]!.push('rings', start, end, key, velocity);
  }
  const held = new Map<string, number>();
  const holds: string[] = [];
  let next = 0;
  for (let bar = 1; bar <= count; bar += 1) {
    holds.push(JSON.stringify([...held].sort()));
    for (; next < controls.length && controls[next]!.at < barStart(meter, bar + 1); next += 1) {
      const { at, message } = controls[next]!;
      said[bar - 1]!.push(laneOf(message), Math.round(at), message.value);
      held.set(laneOf(message), message.value);
    }
  }
  return said.map((events, i) => {
    const [from, to] = [barStart(meter, i + 1), barStart(meter, i + 2)];
    const changes = tempo.spans.filter((t) => t.tick > from && t.tick < to).map((t) => [t.tick, t.bpm, t.slope]);
    const lasts = Math.round((secondsAt(tempo, to) - secondsAt(tempo, from)) * 1e6);
    return fingerprint(JSON.stringify([from, to, bpmAt(tempo, from), lasts, changes, holds[i], events]));
  });
}

/**
 * Record of a line that was played out.
 * @param fingerprints of the whole line, as it was played out
 * @param rolled start and end of the roll on the rolling clock
 * @param late bars in which a message was sent late, whose sound does not count
 * @returns null where no bar is complete
 */
export function soundedAgain(
  about: Pick<SoundedAgain, 'id' | 'recording' | 'input' | 'at'>,
  fingerprints: readonly string[],
  { tempo, meter }: SongMaps,
  rolled: { readonly from: Seconds; readonly to: Seconds },
  late: ReadonlySet<number> = new Set(),
): SoundedAgain | null {
  const bars: { at: Seconds; sign: string }[] = [];
  let first = 0;
  fingerprints.forEach((sign, i) => {
    const [at, ends] = [secondsAt(tempo, barStart(meter, i + 1)), secondsAt(tempo, barStart(meter, i + 2))];
    if (at < rolled.from - CLOCK_PRECISION || ends > rolled.to + CLOCK_PRECISION) return;
    first ||= i + 1;
    // A bar with an empty fingerprint never counts.
    bars.push({ at, sign: late.has(i + 1) ? '' : sign });
  });
  return bars.some((b) => b.sign) ? { ...about, first, bars } : null;
}

/**
 * Ranges in which sounding again gave the line's present sound; of several the last.
 * @param line as it is now
 * @param known whether a recording can be loaded
 */
export function soundedRanges(
  { soundedAgain: all }: Pick<Part, 'soundedAgain'>,
  line: Reading,
  maps: SongMaps,
  known: (recording: string) => boolean = () => true,
): SoundedRange[] {
  if (all.length === 0) return [];
  const fingerprints = soundFingerprints(line, maps);
  const newest = all.filter((a) => known(a.recording)).reverse();
  const found: SoundedRange[] = [];
  fingerprints.forEach((sign, i) => {
    const bar = i + 1;
    const again = newest.find(({ first, bars }) => bars[bar - first]?.sign === sign);
    if (!again) return;
    const to = barStart(maps.meter, bar + 1);
    const last = found.at(-1);
    if (last?.again === again && last.last === bar - 1) {
      found[found.length - 1] = { ...last, to, last: bar };
      return;
    }
    const { at } = again.bars[bar - again.first]!;
    found.push({ again, at, from: barStart(maps.meter, bar), to, first: bar, last: bar });
  });
  return atNotes(found, line, maps);
}

/**
 * Ranges moved to their notes: each begins with the first note that means its first beat, and the one before ends
 * there.
 */
function atNotes(ranges: readonly SoundedRange[], { notes }: Reading, maps: SongMaps): SoundedRange[] {
  const { tempo, meter } = maps;
  const places = new Map<Ticks, Ticks>();
  for (const note of notes) {
    const bar = barStart(meter, barMeant(maps, note));
    if (note.start < bar && !places.has(bar)) places.set(bar, note.start);
  }
  const placeOf = (bar: Ticks): Ticks => places.get(bar) ?? bar;
  return ranges.map((s): SoundedRange => {
    const from = placeOf(s.from);
    return { ...s, from, to: placeOf(s.to), at: s.at - (secondsAt(tempo, s.from) - secondsAt(tempo, from)) };
  });
}
