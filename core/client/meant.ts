import { sectionsOf, type SongMaps } from '../document/maps';
import type { SongDocument } from '../document/document';
import { barAt } from '../time/meter';
import { tickAt } from '../time/tempo';
import type { Seconds } from '../time/units';

/** Consecutive bars from 1; `last` is included. */
export interface Bars {
  readonly first: number;
  readonly last: number;
}

/** Facts of a song that words can refer to. */
export interface Form {
  /** Number of its bars. */
  readonly bars: number;
  /** Named sections, in order. */
  readonly sections: readonly (Bars & { readonly name: string })[];
  /** Bar at a time after the start of bar 1, possibly outside the song. */
  barAt(seconds: Seconds): number;
  /** Bars of the first and of the last note that is heard. */
  readonly played: Bars;
}

/** @param played bars of the first and of the last note; the whole song where nothing is played */
export const formOf = (song: SongDocument, maps: SongMaps, played: Bars = { first: 1, last: song.bars }): Form => ({
  bars: song.bars,
  sections: sectionsOf(song, maps.meter)
    .filter((s) => s.name)
    .map(({ name, firstBar, lastBar }) => ({ name, first: firstBar, last: lastBar })),
  barAt: (seconds) => barAt(maps.meter, tickAt(maps.tempo, seconds)),
  played,
});

/** Mention of bars in a line. */
export interface Mention {
  /** Offsets of its first character, and of the one after its last. */
  readonly at: number;
  readonly end: number;
  readonly kind: 'bars' | 'part of it' | 'section' | 'time' | 'whole';
  /** Readings, the likeliest first, each a list of ranges; empty where the song has no such bars. */
  readonly readings: readonly (readonly Bars[])[];
  /** True if the first reading is certain. */
  readonly sure: boolean;
  /** Bars inside a given range, for a relative mention: "third bar", "last two bars". */
  within?(bars: Bars): Bars | null;
}

export const sameBars = (a: readonly Bars[], b: readonly Bars[]): boolean =>
  a.length === b.length && a.every(({ first, last }, i) => first === b[i]!.first && last === b[i]!.last);

/** Ranges in order, with adjoining ones joined. */
export function united(all: readonly Bars[]): Bars[] {
  const made: { first: number; last: number }[] = [];
  for (const { first, last } of [...all].sort((a, b) => a.first - b.first || a.last - b.last)) {
    const before = made.at(-1);
    if (before && first <= before.last + 1) before.last = Math.max(before.last, last);
    else made.push({ first, last });
  }
  return made;
}
