import type { Draft } from 'immer';
import { z } from 'zod';
import { meterSchema, tempoSchema } from '../time/schema';
import { MOST_BARS } from '../vocabulary/limits';
import { barAt, meterMap } from '../time/meter';
import { tempoMap, type TempoChange } from '../time/tempo';
import { wholeTicks, type Seconds } from '../time/units';
import { tempoWarpBetween, warpRange } from '../time/tempoWarp';
import type { SongDocument } from '../document/document';
import { partOf, takeOf } from './draft';
import { movePlaces, moveTakePlaces } from './movePlaces';

/** Ways of takes when the tempo under them changes. */
const TAKES_STAY = ['bars', 'recording'] as const;
export type TakesStay = (typeof TAKES_STAY)[number];

/** A new tempo, meter or place of bar 1. What is not given stays. */
export const retimingSchema = z
  .object({
    tempo: tempoSchema.optional(),
    meter: meterSchema.optional(),
    /** The song grows to so many bars; it never shrinks by a retiming. */
    bars: z.number().int().min(1).max(MOST_BARS).optional(),
    /** Seconds by which the audio backings move to later on the song's clock. */
    shift: z.number().min(-7200).max(7200).optional(),
    takes: z.enum(TAKES_STAY),
  })
  .readonly();
export type Retiming = z.infer<typeof retimingSchema>;

type Moves = Draft<SongDocument['parts'][number]['takes'][number]>['warps'];

/** Two moves of the same layers, the second from where the first led, are one: the seconds stay through both. */
function addMove(moves: Moves, next: Moves[number]): void {
  const last = moves.at(-1);
  if (last && last.layers === next.layers && last.edits === next.edits && last.to === next.from)
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
 * or they stay with the recording: every moment of them keeps its seconds, and their ranges, the comp and the
 * treatments move with them. Either way nothing that was recorded is touched.
 */
export function retime(
  draft: Draft<SongDocument>,
  { tempo = draft.tempo, meter = draft.meter, bars = 0, shift = 0, takes }: Retiming,
): void {
  const before = [...draft.tempo];
  const after = [...tempo].sort((a, b) => a.tick - b.tick);
  if (takes === 'recording' && draft.parts.some((p) => p.takes.length > 0)) {
    const warp = tempoWarpBetween(tempoMap(before), tempoMap(after), shift);
    const [from, to] = [clockIndex(draft, before), clockIndex(draft, after)];
    for (const part of draft.parts) {
      for (const take of part.takes)
        addMove(take.warps, { layers: take.layers.length, edits: take.edits.length, from, to, shift });
      movePlaces(part, warp);
    }
    if (draft.brief.range) draft.brief.range = wholeTicks(warpRange(draft.brief.range, warp));
    dropUnusedClocks(draft);
  }
  draft.tempo = after;
  draft.meter = [...meter].sort((a, b) => a.bar - b.bar);
  for (const backing of draft.backings) if (!backing.midi) backing.offset += shift;
  draft.bars = Math.max(draft.bars, bars, playedBars(draft));
}

/** Number of bars that the takes reach over. */
export function playedBars({ parts, meter }: Pick<SongDocument, 'parts' | 'meter'>): number {
  const last = Math.max(0, ...parts.flatMap((p) => p.takes.map((t) => t.to)));
  return last > 0 ? barAt(meterMap(meter), last - 1) : 1;
}

/**
 * Moves one take as a whole against the song, by seconds: its layers, its edits and its range. What was picked of it
 * stays where it is, so what is heard there is now what it has there.
 */
export function moveTake(draft: Draft<SongDocument>, partId: string, takeId: string, by: Seconds): void {
  const take = takeOf(partOf(draft, partId), takeId);
  const own = clockIndex(draft, draft.tempo);
  const map = tempoMap(draft.tempo);
  addMove(take.warps, { layers: take.layers.length, edits: take.edits.length, from: own, to: own, shift: by });
  moveTakePlaces(take, tempoWarpBetween(map, map, by));
  dropUnusedClocks(draft);
  draft.bars = Math.max(draft.bars, playedBars(draft));
}
