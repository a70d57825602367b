import type { Draft } from 'immer';
import { barAt, meterMap, type MeterChange } from '../time/meter';
import { tempoMap, type TempoChange } from '../time/tempo';
import type { Seconds, TickRange } from '../time/units';
import { warpBetween, warpRange, type Warp } from '../time/warp';
import type { SongDocument } from './document';

/** What happens to takes when the tempo under them changes. */
export type TakesStay = 'bars' | 'recording';

/** A new tempo, meter or place of bar 1. What is not given stays. */
export interface Retiming {
  readonly tempo?: readonly TempoChange[];
  readonly meter?: readonly MeterChange[];
  /** The song grows to so many bars; it never shrinks by a retiming. */
  readonly bars?: number;
  /** By how many seconds the audio backings move to later on the song's clock. */
  readonly shift?: Seconds;
  readonly takes: TakesStay;
}

/** Ranges moved, on whole ticks; what would be shorter than one is gone. */
function moveRanges<T extends TickRange>(ranges: T[], warp: Warp): T[] {
  return ranges.map((range) => wholeRange(warpRange(range, warp))).filter((range) => range.to > range.from);
}
const wholeRange = <T extends TickRange>(range: T): T => ({
  ...range,
  from: Math.round(range.from),
  to: Math.round(range.to),
});

type Moves = Draft<SongDocument['parts'][number]['takes'][number]>['warps'];

/** Two moves of the same layers, the second from where the first led, are one: the seconds stay through both. */
function addMove(moves: Moves, next: Moves[number]): void {
  const last = moves.at(-1);
  if (last && last.layers === next.layers && last.to === next.from)
    moves[moves.length - 1] = { ...last, to: next.to, shift: last.shift + next.shift };
  else moves.push(next);
  const made = moves.at(-1)!;
  if (made.from === made.to && Math.abs(made.shift) < 1e-9) moves.pop();
}

/** Former clocks that no take refers to go; the places of the others are said anew. */
function dropUnusedClocks(draft: Draft<SongDocument>): void {
  const moves = draft.parts.flatMap((part) => part.takes.flatMap((take) => take.warps));
  const used = [...new Set(moves.flatMap(({ from, to }) => [from, to]))].sort((a, b) => a - b);
  if (used.length === draft.clocks.length) return;
  const place = new Map(used.map((old, i) => [old, i]));
  for (const move of moves) Object.assign(move, { from: place.get(move.from)!, to: place.get(move.to)! });
  draft.clocks = used.map((old) => draft.clocks[old]!);
}

/** The place of a tempo map in the song's former clocks, added when it is not the latest there. */
function clockIndex(draft: Draft<SongDocument>, tempo: readonly TempoChange[]): number {
  const key = JSON.stringify(tempo);
  const known = draft.clocks.findIndex((clock) => JSON.stringify(clock) === key);
  if (known >= 0) return known;
  draft.clocks.push([...tempo]);
  return draft.clocks.length - 1;
}

/**
 * Sets tempo and meter. Takes either follow the bars, which they do by themselves, since they are read in song time;
 * or they stay with the recording: every moment of them keeps its seconds, and their stretches, the comp and the
 * treatments move with them. Either way nothing that was recorded is touched.
 */
export function retime(
  draft: Draft<SongDocument>,
  { tempo = draft.tempo, meter = draft.meter, bars = 0, shift = 0, takes }: Retiming,
): void {
  const before = [...draft.tempo];
  const after = [...tempo];
  if (takes === 'recording' && draft.parts.some((p) => p.takes.length > 0)) {
    const warp = warpBetween(tempoMap(before), tempoMap(after), shift);
    const [from, to] = [clockIndex(draft, before), clockIndex(draft, after)];
    for (const part of draft.parts) {
      for (const take of part.takes) {
        addMove(take.warps, { layers: take.layers.length, from, to, shift });
        Object.assign(take, wholeRange(warpRange({ from: take.from, to: take.to }, warp)));
      }
      part.comp = moveRanges(part.comp, warp);
      part.treatments = moveRanges(part.treatments, warp);
    }
    if (draft.brief.range) draft.brief.range = wholeRange(warpRange(draft.brief.range, warp));
    dropUnusedClocks(draft);
  }
  draft.tempo = after;
  draft.meter = [...meter];
  for (const backing of draft.backings) if (!backing.midi) backing.offset += shift;
  draft.bars = Math.max(draft.bars, bars, playedBars(draft));
}

/** How many bars the takes reach over. */
export function playedBars({ parts, meter }: Pick<SongDocument, 'parts' | 'meter'>): number {
  const last = Math.max(0, ...parts.flatMap((p) => p.takes.map((t) => t.to)));
  return last > 0 ? barAt(meterMap(meter), last - 1) : 1;
}
