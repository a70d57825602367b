/**
 * The sound of an outside instrument, recorded beside the keys. A recording is one run of an input, from the moment a
 * pass began to roll to the moment nothing of it could come any more; the layers of that pass, laps too, point at it.
 * What is heard of it is worked out like notes are: layer, take, line. Sound itself is never copied or changed.
 */
import { NOT_TRANSPOSED, type Transposition } from '../performance/transposition';
import { shiftOf, type Placement } from '../placement/place';
import { secondsAt, tempoMap, tickAt, type TempoMap } from '../time/tempo';
import { TICK_TOLERANCE, type Frames, type Seconds, type TickRange, type Ticks } from '../time/units';
import { warpRange } from '../time/tempoWarp';
import { placeEvents, type Layer, type LayerHeader } from './layer';
import type { Placed } from './take';

/** A recording that is closed: where it lies, and what it is. */
export interface Recording {
  readonly id: string;
  /** Time of the audio clock's frame 0, on the rolling clock of its pass. */
  readonly zero: Seconds;
  /** Frames a second. */
  readonly rate: number;
  readonly channels: number;
  /** The first frame that was kept, on the audio clock, and how many there are. */
  readonly first: Frames;
  readonly frames: Frames;
  /** SHA-256 of its file: WAV, 32-bit float. */
  readonly audio: string;
  /** Name of its input. */
  readonly from: string;
}
export type Recordings = ReadonlyMap<string, Recording>;

/** A range of song in which a recording sounds. */
export interface SoundPiece extends TickRange {
  readonly recording: string;
  /** Distance of its start into the recording. */
  readonly into: Seconds;
  /** Length of the recording that is left after its end. */
  readonly rest: Seconds;
  /** Semitones that it sounds higher than it was recorded. */
  readonly semitones: number;
}

/** Length of a range in seconds, in the tempo that the song has now: sound keeps its own speed. */
const lengthOf = (tempo: TempoMap, { from, to }: TickRange): Seconds => secondsAt(tempo, to) - secondsAt(tempo, from);

/** Part of a piece that lies in a range, or nothing. */
export function cutPiece(piece: SoundPiece, range: TickRange, tempo: TempoMap): SoundPiece[] {
  const from = Math.max(piece.from, range.from);
  const to = Math.min(piece.to, range.to);
  if (to <= from) return [];
  if (from === piece.from && to === piece.to) return [piece];
  const into = piece.into + lengthOf(tempo, { from: piece.from, to: from });
  return [{ ...piece, from, to, into, rest: piece.rest + lengthOf(tempo, { from: to, to: piece.to }) }];
}

/** A piece in as many as it has transpositions. */
function transposedPieces(piece: SoundPiece, transposition: Transposition, tempo: TempoMap): SoundPiece[] {
  const changes = [{ tick: -Infinity, semitones: 0 }, ...transposition];
  return changes.flatMap(({ tick, semitones }, i) =>
    cutPiece(piece, { from: tick, to: changes[i + 1]?.tick ?? Infinity }, tempo).map((p) => ({ ...p, semitones })),
  );
}

/** Parts of a piece that lie outside some ranges. */
export const without = (piece: SoundPiece, ranges: readonly TickRange[], tempo: TempoMap): SoundPiece[] =>
  ranges.reduce<SoundPiece[]>(
    (left, { from, to }) =>
      left.flatMap((p) => [
        ...cutPiece(p, { from: -Infinity, to: from }, tempo),
        ...cutPiece(p, { from: to, to: Infinity }, tempo),
      ]),
    [piece],
  );

/**
 * Place where a layer's sound begins: with the first note that was early for its range, so that none loses its
 * attack.
 */
function beginsAt(layer: Layer, placement: Placement): Ticks {
  const { range } = layer.closing;
  const early = range.from - layer.header.early - TICK_TOLERANCE;
  const first = placeEvents(layer, placement).find(({ at, message }) => message.type === 'noteOn' && at >= early);
  return Math.min(range.from, first?.at ?? range.from);
}

/** A layer's sound over its range, in the tempo the song has now. */
function soundOfLayer(
  { layer, warp }: Placed,
  placement: Placement,
  recordings: Recordings,
  tempo: TempoMap,
): SoundPiece[] {
  const { header, closing } = layer;
  const recording = header.sound && recordings.get(header.sound.recording);
  if (!header.sound || !recording || closing.range.to <= closing.range.from) return [];
  const own = tempoMap(header.tempo);
  const shift = shiftOf(placement, { output: header.latency.output, input: header.sound.input });
  const zero = recording.zero - header.sound.frame + shift;
  const starts = startOf(recording, zero);
  const begins = beginsAt(layer, placement);
  const from = secondsAt(own, begins) < starts ? tickAt(own, starts) : begins;
  const wanted = closing.rings ?? closing.range.to;
  if (secondsAt(own, wanted) <= secondsAt(own, from)) return [];
  const placed = warp ? warpRange({ from, to: wanted }, warp) : { from, to: wanted };
  return pieceOf(recording, zero, secondsAt(own, from), placed, tempo);
}

/** A recording that is open, as far as it has come: the frame behind its last one, on its audio clock. */
export type SoundSoFar = Pick<Recording, 'zero' | 'rate'> & { readonly end: Frames };

/** The end of a layer's sound so far, on the layer's clock, as it is placed. */
export function endOfSound({ sound, placement, latency }: LayerHeader, { zero, rate, end }: SoundSoFar): Seconds {
  if (!sound) throw new RangeError('The layer has no sound.');
  return zero - sound.frame + shiftOf(placement, { output: latency.output, input: sound.input }) + end / rate;
}

/** Place where a recording begins, frame 0 of its clock being at `zero`. */
const startOf = ({ first, rate }: Recording, zero: Seconds): Seconds => zero + first / rate;

/**
 * Piece of a recording for a range of the song, cut to what the recording has; undefined where it has nothing there.
 * @param zero where frame 0 of its clock belongs on the clock on which `at` is
 * @param at where the range begins on that clock
 * @param tempo the song's, as it is now
 */
export function pieceOf(
  recording: Recording,
  zero: Seconds,
  at: Seconds,
  range: TickRange,
  tempo: TempoMap,
): SoundPiece[] {
  const { id, rate, frames } = recording;
  const missing = Math.max(0, startOf(recording, zero) - at);
  const from = missing > 1e-9 ? tickAt(tempo, secondsAt(tempo, range.from) + missing) : range.from;
  const into = at + missing - startOf(recording, zero);
  const left = frames / rate - into;
  if (left <= 0 || from >= range.to) return [];
  const length = lengthOf(tempo, { from, to: range.to });
  const to = length <= left ? range.to : tickAt(tempo, secondsAt(tempo, from) + left);
  return [{ recording: id, from, to, into, rest: Math.max(0, left - length), semitones: 0 }];
}

/**
 * The sound of a take's layers, bottom first: what one clears of the keys beneath it, it clears of their sound; what it
 * lays over it sounds beside it.
 * @param tempo the song's, as it is now
 */
export function soundOfTake(
  layers: readonly Placed[],
  placement: Placement,
  recordings: Recordings,
  tempo: TempoMap,
): SoundPiece[] {
  return layers.reduce<SoundPiece[]>((under, placed) => {
    const { layer, warp, windows } = placed;
    const { range, clears } = layer.closing;
    const moved = <T extends TickRange>(r: T): T => (warp ? warpRange(r, warp) : r);
    const own = soundOfLayer(placed, placed.placement ?? placement, recordings, tempo);
    // Sound that begins with an early note takes the place of what lies beneath from there.
    const starts = moved(range).from;
    const begins = Math.min(starts, own[0]?.from ?? starts);
    const reached = <T extends TickRange>(r: T): T => (r.from === starts ? { ...r, from: begins } : r);
    const ranges = windows?.map((w) => reached(moved(w))) ?? [{ from: -Infinity, to: Infinity }];
    const gone = clears
      .filter((c) => c.lane === undefined)
      .map((c) => reached(moved(c)))
      .flatMap((c) => ranges.map((w) => ({ from: Math.max(c.from, w.from), to: Math.min(c.to, w.to) })))
      .filter((r) => r.to > r.from);
    const added = own
      .flatMap((p) => ranges.flatMap((w) => cutPiece(p, w, tempo)))
      .flatMap((p) => transposedPieces(p, placed.transposition ?? NOT_TRANSPOSED, tempo));
    return [...under.flatMap((p) => without(p, gone, tempo)), ...added];
  }, []);
}
