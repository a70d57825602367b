import type { SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import type { Part } from '../document/part';
import { takeSign } from '../document/take';
import { barAt, barStart } from '../time/meter';
import type { TickRange, Ticks } from '../time/units';
import { recipeOf } from '../timing/recipe';
import { isJoin, readPart, takeReader, type Layers } from './reading';

/** How far a bar of a part has come. */
export type BarState = 'empty' | 'pencilled' | 'inked' | 'tidied' | 'handed over';

/** What decides how a stretch of a part sounds, as text: the same text, the same line. */
function signOf(
  { comp, lanes, joins, treatments, decided }: Pick<Part, 'comp' | 'lanes' | 'joins' | 'treatments' | 'decided'>,
  signs: Readonly<Record<string, string>>,
  from: Ticks,
  to: Ticks,
): string {
  const cut = <T extends TickRange>(all: readonly T[]) =>
    all
      .filter((r) => r.from < to && r.to > from)
      .map((r) => ({ ...r, from: Math.max(from, r.from), to: Math.min(to, r.to) }));
  return JSON.stringify([
    cut(comp).map((p) => [p.from, p.to, p.takeId, signs[p.takeId]]),
    cut(lanes).map((l) => [l.from, l.to, l.takeId, l.lane]),
    joins
      .filter((j) => j.at >= from && j.at < to && isJoin(comp, j))
      .map(({ at, held, lift, drop, keep }) => [at, held, lift, drop, keep]),
    cut(treatments).map((t) => [t.from, t.to, recipeOf(t), t.layers ?? null, t.keys ?? null, t.notes ?? null]),
    Object.entries(decided).filter(([, line]) => line === 'played' || (line >= from && line < to)),
  ]);
}

/** The state of each bar, bar 1 first: a strip of the Desk. */
export function barStates(part: Part, layers: Layers, song: SongDocument): BarState[] {
  const { meter } = mapsOf(song);
  const read = takeReader(layers, song.clocks);
  const line = readPart(part, read).notes;
  const barOf = (note: { readonly start: Ticks }): number => barAt(meter, note.start);
  const heard = new Set(line.map(barOf));
  const played = new Set<number>();
  for (const take of part.takes) for (const note of read(take).notes) played.add(barOf(note));
  const signs = Object.fromEntries(part.takes.map((t) => [t.id, takeSign(t)]));
  return Array.from({ length: song.bars }, (_, i) => {
    const from = barStart(meter, i + 1);
    const to = barStart(meter, i + 2);
    const isHeard = heard.has(i + 1);
    if (isHeard && part.handed) {
      if (signOf(part.handed, part.handed.takes, from, to) === signOf(part, signs, from, to)) return 'handed over';
    }
    if (isHeard) return part.treatments.some((t) => t.from < to && t.to > from) ? 'tidied' : 'inked';
    return played.has(i + 1) ? 'pencilled' : 'empty';
  });
}
