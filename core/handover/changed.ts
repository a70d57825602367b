import { many } from '../vocabulary/many';
import type { SongDocument } from '../document/document';
import { transpositionWords } from '../document/transposition';
import { mapsOf, sectionsOf, type PlacedSection } from '../document/maps';
import { heardWords, type Part } from '../document/part';
import { gridWords } from '../timing/grid';
import { recipeOf } from '../timing/recipe';
import { barStart, type MeterMap } from '../time/meter';
import type { TickRange } from '../time/units';
import { tuningWords } from '../vocabulary/tuning';
import { partFingerprints } from '../reading/barStates';
import { lineOf, type Layers, type TakeReader, songReader } from '../reading/reading';

/** Changes since a version went out. */
export interface Changed {
  /** Changes of the whole song: tempo, meter, length, sections, key, title. */
  readonly song: readonly string[];
  readonly parts: readonly ChangedPart[];
}
export interface ChangedPart {
  readonly id: string;
  readonly name: string;
  /** Version that had the part last, where that is not the newest. */
  readonly since: number | null;
  /** Numbers of the changed bars, from 1. */
  readonly bars: readonly number[];
  /** Words such as "bars 17–20 from a new take", "Chorus 2 pulled to sixteenths". */
  readonly words: readonly string[];
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

const transposedWords = ({ transposition, bars }: SongDocument): string => transpositionWords(transposition, bars);

const songWords = (before: SongDocument, now: SongDocument): string[] => [
  ...(before.title === now.title ? [] : [`it was called ${before.title}`]),
  ...(same(before.tempo, now.tempo) ? [] : ['another tempo']),
  ...(same(before.meter, now.meter) ? [] : ['another meter']),
  ...(before.bars === now.bars ? [] : [`${many(now.bars, 'bar')}, before ${before.bars}`]),
  ...(same(
    before.sections.map((s) => [s.name, s.bars]),
    now.sections.map((s) => [s.name, s.bars]),
  )
    ? []
    : ['other sections']),
  ...(same(before.key, now.key) ? [] : ['another key']),
  ...(same(before.transposition, now.transposition)
    ? []
    : [transposedWords(now) ? `transposed ${transposedWords(now)}` : 'in its own key again']),
  ...(before.tuning === now.tuning ? [] : [`tuned to ${tuningWords(now.tuning)}`]),
];

/** Reasons for a changed bar, the most important first. */
function whyOf(before: Part, now: Part, { from, to }: TickRange): string {
  const within = <T extends TickRange>(all: readonly T[]) => all.filter((r) => r.from < to && r.to > from);
  const heard = (part: Part) => within(part.comp).map((p) => p.takeId);
  if (!same(heard(before), heard(now))) {
    const fresh = heard(now).find((takeId) => !before.takes.some((t) => t.id === takeId));
    const other = now.takes.find((t) => heard(now).includes(t.id) && !heard(before).includes(t.id));
    if (heard(now).length === 0) return 'silent now';
    if (fresh) return 'from a new take';
    return other ? `from take ${other.number}` : 'with a join in another place';
  }
  const takes = (part: Part) => part.takes.filter((t) => heard(part).includes(t.id));
  const differ = (of: (take: Part['takes'][number]) => unknown): boolean =>
    !same(takes(before).map(of), takes(now).map(of));
  if (differ((t) => [t.layers, t.muted, t.windows])) return 'played over';
  if (differ((t) => t.warps)) return 'moved with the tempo';
  if (differ((t) => [t.placement, t.placements])) return 'placed anew';
  if (differ((t) => t.edits)) return 'changed by hand';
  const treated = (part: Part) => within(part.treatments).map((t) => [recipeOf(t), t.layers, t.keys, t.notes]);
  if (!same(treated(before), treated(now))) {
    const [recipe] = within(now.treatments);
    if (!recipe) return 'as it was played again';
    if (recipe.feel) return 'in another feel';
    return recipe.way === 'steady' ? 'steadied' : `pulled to ${gridWords(recipe.grid)}`;
  }
  if (!same(before.decided, now.decided)) return 'decided by ear';
  if (!same(within(before.lanes), within(now.lanes))) return 'with other controllers';
  if (!same(before.soundedAgain, now.soundedAgain)) return 'sounded again';
  return 'mended at a join';
}

/** Name of the section where the bars are exactly that, otherwise "bars 17–20". */
function barsNamed(first: number, last: number, sections: readonly PlacedSection[]): string {
  const section = sections.find((s) => s.name && s.firstBar === first && s.lastBar === last);
  if (section) return section.name;
  return first === last ? `bar ${first}` : `bars ${first}–${last}`;
}

function partWords(before: Part, now: Part, bars: readonly number[], song: SongDocument, meter: MeterMap): string[] {
  const sections = sectionsOf(song, meter);
  const ranges: { first: number; last: number; why: string }[] = [];
  for (const bar of bars) {
    const why = whyOf(before, now, { from: barStart(meter, bar), to: barStart(meter, bar + 1) });
    const last = ranges.at(-1);
    if (last?.why === why && last.last === bar - 1) last.last = bar;
    else ranges.push({ first: bar, last: bar, why });
  }
  return ranges.map(({ first, last, why }) => `${barsNamed(first, last, sections)} ${why}`);
}

/** Version that went out: the song as it was, and its parts. */
export interface WentOut {
  readonly number: number;
  readonly document: SongDocument;
  readonly parts: readonly string[];
}

/**
 * Versions that tell what a client has of some parts: the newest, and the newest with each part, the newest first.
 * @param versions all that went out
 */
export function newestWith<V extends { readonly number: number; readonly parts: readonly string[] }>(
  versions: readonly V[],
  parts: readonly string[],
): V[] {
  const newest = [...versions].sort((a, b) => b.number - a.number);
  const wanted = new Set(parts.map((id) => newest.find((v) => v.parts.includes(id))));
  return newest.filter((v, i) => i === 0 || wanted.has(v));
}

/**
 * Changes of the song, part by part, in bars and words. Each part is compared with the newest version that had it.
 * @param out versions as `newestWith` returns them, at least one
 * @param parts those that a client gets
 */
export function changedSince(
  out: readonly WentOut[],
  now: SongDocument,
  parts: readonly Part[],
  layers: Layers,
  { read }: { readonly read: TakeReader } = songReader(now, layers),
): Changed {
  const maps = mapsOf(now);
  const newest = out[0]!;
  const reads = new Map(
    out.map(({ document }) => [document, { then: mapsOf(document), readThen: songReader(document, layers).read }]),
  );
  const changed = parts.flatMap((part): ChangedPart[] => {
    const version = out.find((v) => v.parts.includes(part.id));
    const fingerprints = partFingerprints(part, lineOf(part, read, maps), layers, now, maps);
    const played = fingerprints.flatMap((s, i) => (s ? [i + 1] : []));
    const { id, name } = part;
    if (!version) return played.length ? [{ id, name, since: null, bars: played, words: ['a new part'] }] : [];
    const { document, number } = version;
    const { then, readThen } = reads.get(document)!;
    const old = document.parts.find((p) => p.id === id)!;
    const oldFingerprints = partFingerprints(old, lineOf(old, readThen, then), layers, document, then);
    const bars = fingerprints.flatMap((s, i) => (s === (oldFingerprints[i] ?? '') ? [] : [i + 1]));
    const words = [
      // A change of the song before the newest version is told with the part only.
      ...(version === newest ? [] : songWords(document, now)),
      // Another sound is told once, not for each bar.
      ...(old.heardAs === part.heardAs ? partWords(old, part, bars, now, maps.meter) : []),
      ...(old.name === name ? [] : [`it was called ${old.name}`]),
      ...(heardWords(old) === heardWords(part) ? [] : [`${heardWords(part)}, before ${heardWords(old)}`]),
      ...(old.gainDb === part.gainDb ? [] : [`level ${part.gainDb} dB, before ${old.gainDb} dB`]),
    ];
    const since = version === newest ? null : number;
    return words.length > 0 ? [{ id, name, since, bars, words }] : [];
  });
  return { song: songWords(newest.document, now), parts: changed };
}

/** Test for a change that a client would notice. */
export const isChanged = ({ song, parts }: Changed): boolean => song.length + parts.length > 0;

/** Words such as "Electric piano: bars 17–20 from a new take; Chorus 2 pulled to sixteenths". */
export const changedWords = ({ song, parts }: Changed): string[] => [
  ...(song.length > 0 ? [`The song: ${song.join('; ')}`] : []),
  ...parts.map(({ name, since, words }) => {
    const whose = since === null ? name : `${name}, since version ${since}`;
    return `${whose}: ${words.join('; ')}`;
  }),
];
