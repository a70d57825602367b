import type { SongDocument } from '../document/document';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { transpositionOf } from '../document/transposition';
import type { MeterMap } from '../time/meter';
import { placementOf, type Take } from '../document/take';
import { belongsTo } from '../performance/intendedPlace';
import type { Note, Reading } from '../performance/notes';
import { cutPiece, pieceOf, soundOfTake, without, type Recordings, type SoundPiece } from '../takes/sound';
import type { Layer } from '../takes/layer';
import { secondsAt } from '../time/tempo';
import { warpRange } from '../time/tempoWarp';
import { TICK_TOLERANCE, type Seconds, type TickRange, type Ticks } from '../time/units';
import { NOT_TRANSPOSED, type Transposition } from '../performance/transposition';
import { layerTransposition, lineOf, placedLayers, warpOf, type Clocks, type Layers, type TakeReader } from './reading';
import { soundedRanges, type SoundedRange } from './soundedAgain';

/** Piece of a recording at its place in the song, in seconds from bar 1. */
export interface HeardSound {
  readonly recording: string;
  readonly from: Seconds;
  readonly to: Seconds;
  /** Offset of its start in the recording. */
  readonly into: Seconds;
  /** Semitones that it sounds higher than it was recorded. */
  readonly semitones: number;
}

/** Length of the crossfade between two pieces. It ends where the next piece begins, so that its first note is whole. */
export const EDGE: Seconds = 0.005;

/** Facts beside the song that sound is read from. */
export interface SoundSources {
  readonly layers: Layers;
  readonly recordings: Recordings;
  readonly clocks: Clocks;
  /** Transposition of the song; undefined where there is none. */
  readonly transposition?: Transposition;
  readonly read: TakeReader;
}

/** Place and key of a song's takes now. */
export const frameOf = (
  { clocks, transposition }: Pick<SongDocument, 'clocks' | 'transposition'>,
  meter: MeterMap,
): Pick<SoundSources, 'clocks' | 'transposition'> => ({
  clocks,
  transposition: transpositionOf(transposition, meter),
});

const piecesOfTake = (
  take: Take,
  { layers, recordings, clocks, transposition }: SoundSources,
  maps: SongMaps,
): SoundPiece[] =>
  soundOfTake(placedLayers(take, layers, clocks, transposition), take.placement, recordings, maps.tempo);

/** Take without hand edits, which have not moved its sound. */
const asStruck = (take: Take): Take => (take.edits.length > 0 ? { ...take, edits: [] } : take);

/** Range in which a part has recorded sound, known from its takes without their recordings. */
export interface SoundRange extends TickRange {
  readonly take: Take;
  readonly layer: Layer;
  /** Fingerprint of what sounds there. */
  readonly fingerprint: string;
}

/** Parts of a range outside some others. */
const outside = (range: TickRange, others: readonly TickRange[]): TickRange[] =>
  others.reduce<TickRange[]>(
    (left, gone) =>
      left
        .flatMap(({ from, to }) => [
          { from, to: Math.min(to, gone.from) },
          { from: Math.max(from, gone.to), to },
        ])
        .filter((r) => r.to > r.from),
    [range],
  );

/**
 * Ranges in which a part's picked takes are heard as recorded.
 * @param again ranges in which the line was sounded again, which replace them
 */
export const soundRanges = (
  { takes, comp }: Pick<Part, 'takes' | 'comp'>,
  layers: Layers,
  { clocks, transposition = NOT_TRANSPOSED }: Pick<SoundSources, 'clocks' | 'transposition'>,
  again: readonly TickRange[] = [],
): SoundRange[] =>
  comp.flatMap((pick) => {
    const take = takes.find((t) => t.id === pick.takeId);
    return (take?.layers ?? []).flatMap((id, index): SoundRange[] => {
      const layer = layers.get(id);
      if (!take || !layer?.header.sound || take.muted.includes(id)) return [];
      const warp = warpOf(take, clocks, index);
      const range = warp ? warpRange(layer.closing.range, warp) : layer.closing.range;
      const whole = { from: Math.max(pick.from, range.from), to: Math.min(pick.to, range.to) };
      if (whole.to <= whole.from) return [];
      return outside(whole, again).map(({ from, to }) => {
        const other = layerTransposition(layer, transposition, warp);
        const key = other.length > 0 ? [other] : [];
        const fingerprint = JSON.stringify([id, from, to, placementOf(take, id), take.windows[id] ?? null, ...key]);
        return { from, to, take, layer, fingerprint };
      });
    });
  });

/**
 * Test for a part with recorded sound: an outside instrument was recorded with its takes, or its line was sounded
 * again.
 */
export const hasSound = ({ takes, soundedAgain }: Pick<Part, 'takes' | 'soundedAgain'>, layers: Layers): boolean =>
  soundedAgain.length > 0 || takes.some((t) => t.layers.some((id) => layers.get(id)?.header.sound));

/** Notes that begin where no recorded sound is heard. */
export const unsounded = (notes: readonly Note[], sounded: readonly TickRange[], end: Ticks): Note[] =>
  notes.filter((n) => n.start < end && !sounded.some((s) => n.start < s.to && n.end > s.from));

/** Piece of sound from sounding the line again, where it is in force. */
function pieceOfAgain({ again, at, from, to }: SoundedRange, recordings: Recordings, maps: SongMaps): SoundPiece[] {
  const recording = recordings.get(again.recording)!;
  return pieceOf(recording, recording.zero - again.input, at, { from, to }, maps.tempo);
}

/**
 * A part's line as the sound of the instrument that it was played on: what came back when it was sounded again, where
 * that still is its sound, and elsewhere the takes' sound where they are picked. A range begins with the first note
 * that means it, so that no attack is cut off, and what it follows ends there. Changes by hand and treatments do not
 * move sound. The last of it rings on behind the song as far as it was recorded.
 * @param line the line as it is heard, for a caller that has it
 */
export function soundOfLine(
  part: Part,
  sources: SoundSources,
  maps: SongMaps,
  line: () => Reading = () => lineOf(part, sources.read, maps),
): HeardSound[] {
  const { recordings } = sources;
  const again = part.soundedAgain.length > 0 ? soundedRanges(part, line(), maps, (id) => recordings.has(id)) : [];
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  const { comp } = part;
  const starts = comp.map((range, i): Ticks => {
    const take = takes.get(range.takeId);
    const goesOn = comp[i + 1]?.from === range.to;
    const first = take && sources.read(asStruck(take)).notes.find((n) => belongsTo(n, range, goesOn));
    return Math.min(range.from, first?.start ?? range.from);
  });
  // A note that means the next range can begin before a short one is over.
  const ends = starts.map((_, i) => Math.min(comp[i]!.to, ...starts.slice(i + 1)));
  const ofTakes = comp.flatMap(({ takeId }, i): SoundPiece[] => {
    const take = takes.get(takeId);
    const range: TickRange = { from: starts[i]!, to: ends[i]! };
    return take ? piecesOfTake(take, sources, maps).flatMap((p) => cutPiece(p, range, maps.tempo)) : [];
  });
  return [
    ...ofTakes.flatMap((p) => without(p, again, maps.tempo)),
    ...again.flatMap((range) => pieceOfAgain(range, recordings, maps)),
  ]
    .sort((a, b) => a.from - b.from)
    .map(({ recording, from, to, into, rest, semitones }): HeardSound => {
      const [begins, ends] = [secondsAt(maps.tempo, from), secondsAt(maps.tempo, to)];
      const rings = to >= maps.end - TICK_TOLERANCE ? rest : 0;
      return { recording, from: begins, to: ends + rings, into, semitones };
    })
    .filter((s) => s.to > s.from);
}

/** Sound without some ranges. */
export const soundWithout = (
  sounds: readonly HeardSound[],
  silent: readonly { readonly from: Seconds; readonly to: Seconds }[],
): HeardSound[] =>
  silent.reduce<HeardSound[]>(
    (left, gone) =>
      left.flatMap((s) =>
        [
          { ...s, to: Math.min(s.to, gone.from) },
          { ...s, from: Math.max(s.from, gone.to), into: s.into + Math.max(0, gone.to - s.from) },
        ].filter((p) => p.to > p.from),
      ),
    [...sounds],
  );

/** Sound of a part that is heard as recorded; empty for others. */
export const soundOfPart = (part: Part, sources: SoundSources, maps: SongMaps, line?: () => Reading): HeardSound[] =>
  part.heardAs === 'recorded' && !part.away ? soundOfLine(part, sources, maps, line) : [];

/** Sound of all parts that are heard as recorded, by part id. */
export const soundsOf = (
  { parts }: Pick<SongDocument, 'parts'>,
  sources: SoundSources,
  maps: SongMaps,
  line?: (part: Part) => Reading,
): Map<string, readonly HeardSound[]> =>
  new Map(
    parts
      .filter((p) => p.heardAs === 'recorded')
      .map((p) => [p.id, soundOfPart(p, sources, maps, line && (() => line(p)))]),
  );
