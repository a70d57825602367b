import type { SongDocument } from '../document/document';
import { mapsOf, type SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { fingerprint, type Take } from '../document/take';
import type { Reading } from '../performance/notes';
import { barAt, barStart, type MeterMap } from '../time/meter';
import type { Ticks } from '../time/units';
import { frameOf, soundRanges } from './sound';
import { soundedRanges } from './soundedAgain';
import { lineOf, reachOf, type Layers, type TakeReader, songReader } from './reading';

/** Stages of a bar of a part, in order. */
export const BAR_STATES = ['empty', 'recorded', 'picked', 'tidied', 'handed over'] as const;
export type BarState = (typeof BAR_STATES)[number];
/** Run of bars in the same state. */
export interface BarRun {
  readonly state: BarState;
  readonly bars: number;
}

/**
 * Fingerprints of the bars of a line, bar 1 first; empty where nothing is played or moved. Equal fingerprints have
 * equal notes and controllers, to the tick, as in a file.
 */
export function barFingerprints({ notes, controls }: Reading, meter: MeterMap, bars: number): string[] {
  const said: (string | number)[][] = Array.from({ length: bars }, () => []);
  const inBar = (at: number) => said[Math.max(1, barAt(meter, at)) - 1];
  for (const { start, end, key, velocity, release } of notes)
    inBar(start)?.push(Math.round(start), Math.round(end), key, velocity, release);
  for (const { at, message } of controls) inBar(at)?.push(Math.round(at), JSON.stringify(message));
  return said.map((events) => (events.length > 0 ? fingerprint(JSON.stringify(events)) : ''));
}

/** Fingerprints of a part's bars, with its recorded sound where it is heard as recorded. */
export function partFingerprints(
  part: Part,
  line: Reading,
  layers: Layers,
  song: Pick<SongDocument, 'clocks' | 'bars' | 'transposition'>,
  maps: SongMaps,
): string[] {
  const { meter } = maps;
  const fingerprints = barFingerprints(line, meter, song.bars);
  if (part.heardAs !== 'recorded') return fingerprints;
  const again = soundedRanges(part, line, maps);
  const ranges = soundRanges(part, layers, frameOf(song, meter), again);
  return fingerprints.map((played, i) => {
    const [from, to] = [barStart(meter, i + 1), barStart(meter, i + 2)];
    const sounds = ranges.filter((s) => s.from < to && s.to > from).map((s) => s.fingerprint);
    for (const { again: own, first, last } of again) if (first <= i + 1 && i + 1 <= last) sounds.push(own.id);
    return sounds.length > 0 ? fingerprint(JSON.stringify([played, sounds])) : played;
  });
}

/** Bars as runs of equal states. */
export function runsOf(states: readonly BarState[]): BarRun[] {
  const runs: { state: BarState; bars: number }[] = [];
  for (const state of states) {
    const last = runs.at(-1);
    if (last?.state === state) last.bars += 1;
    else runs.push({ state, bars: 1 });
  }
  return runs;
}

/**
 * State of each bar, bar 1 first, for a strip of the Desk.
 * @param read reads each take once; passed by callers that read takes anyway
 */
export function barStates(
  part: Part,
  layers: Layers,
  song: SongDocument,
  { read }: { readonly read: TakeReader } = songReader(song, layers),
): BarState[] {
  const maps = mapsOf(song);
  const line = lineOf(part, read, maps);
  const barOf = (start: Ticks): number => Math.max(1, barAt(maps.meter, start));
  const heard = new Set(line.notes.map((n) => barOf(n.start)));
  const played = new Set<number>();
  // Most takes lie in bars whose state is known already, and need not be read.
  const saysMore = (take: Take): boolean =>
    reachOf(take, layers, song.clocks)?.some(({ from, to }) => {
      const last = Math.min(song.bars, barOf(to));
      for (let bar = barOf(from); bar <= last; bar += 1) if (!heard.has(bar) && !played.has(bar)) return true;
      return false;
    }) ?? true;
  for (const take of part.takes) if (saysMore(take)) for (const { start } of read(take).notes) played.add(barOf(start));
  const fingerprints = part.handed ? partFingerprints(part, line, layers, song, maps) : [];
  return Array.from({ length: song.bars }, (_, i) => {
    const bar = i + 1;
    if (!heard.has(bar)) return played.has(bar) ? 'recorded' : 'empty';
    if (part.handed && part.handed.bars[i] === fingerprints[i]) return 'handed over';
    const treated = part.treatments.some((t) => barAt(maps.meter, t.from) <= bar && barAt(maps.meter, t.to - 1) >= bar);
    return treated ? 'tidied' : 'picked';
  });
}
