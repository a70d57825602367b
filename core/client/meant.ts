import { sectionsOf, type SongMaps } from '../document/maps';
import type { SongDocument } from '../document/document';
import { barAt } from '../time/meter';
import { tickAt } from '../time/tempo';
import type { Seconds } from '../time/units';

/** Bars one after the other, numbered from 1; `last` is included. */
export interface Bars {
  readonly first: number;
  readonly last: number;
}

/** A song as far as words can point at it. */
export interface Form {
  /** Number of its bars. */
  readonly bars: number;
  /** Sections that have a name, in their order. */
  readonly sections: readonly (Bars & { readonly name: string })[];
  /** The bar of a moment after the start of bar 1; it may lie outside the song. */
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

/** A place in a line that points at bars. */
export interface Mention {
  /** Offset of its first character in the line, and of the one behind its last. */
  readonly at: number;
  readonly end: number;
  readonly kind: 'bars' | 'part of it' | 'section' | 'time' | 'whole';
  /** Readings of it, the likeliest first; each is a list of ranges. None where the song has no such bars. */
  readonly readings: readonly (readonly Bars[])[];
  /** The first reading is what is meant, without a doubt. */
  readonly sure: boolean;
  /** The bars inside a range that it points at, of a mention that is relative: "third bar", "last two bars". */
  within?(bars: Bars): Bars | null;
}

export const sameBars = (a: readonly Bars[], b: readonly Bars[]): boolean =>
  a.length === b.length && a.every(({ first, last }, i) => first === b[i]!.first && last === b[i]!.last);

/** Ranges in order, those that touch made one. */
export function united(all: readonly Bars[]): Bars[] {
  const made: { first: number; last: number }[] = [];
  for (const { first, last } of [...all].sort((a, b) => a.first - b.first || a.last - b.last)) {
    const before = made.at(-1);
    if (before && first <= before.last + 1) before.last = Math.max(before.last, last);
    else made.push({ first, last });
  }
  return made;
}
