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

/** Behaviour of takes when the tempo under them changes: they keep their bars, or their seconds. */
const TAKES_STAY = ['bars', 'recording'] as const;
export type TakesStay = (typeof TAKES_STAY)[number];

/** Request for a new tempo, meter or place of bar 1. Fields that are missing stay. */
export const retimingSchema = z
  .object({
    tempo: tempoSchema.optional(),
    meter: meterSchema.optional(),
    /** Bars that the song grows to; a retiming never shortens it. */
    bars: z.number().int().min(1).max(MOST_BARS).optional(),
    /** Seconds by which the audio backings move later on the song's clock. */
    shift: z.number().min(-7200).max(7200).optional(),
    takes: z.enum(TAKES_STAY),
  })
  .readonly();
export type Retiming = z.infer<typeof retimingSchema>;

type Moves = Draft<SongDocument['parts'][number]['takes'][number]>['warps'];

/** Adds a move of layers. Two that follow each other become one, as seconds stay through both. */
function addMove(moves: Moves, next: Moves[number]): void {
  const last = moves.at(-1);
  if (last && last.layers === next.layers && last.edits === next.edits && last.to === next.from)
    moves[moves.length - 1] = { ...last, to: next.to, shift: last.shift + next.shift };
  else moves.push(next);
  const made = moves.at(-1)!;
  if (made.from === made.to && Math.abs(made.shift) < 1e-9) moves.pop();
}

/** Drops former tempo maps that no take refers to, and renumbers the others. */
function dropUnusedClocks(draft: Draft<SongDocument>): void {
  const moves = draft.parts.flatMap((part) => part.takes.flatMap((take) => take.warps));
  const used = [...new Set(moves.flatMap(({ from, to }) => [from, to]))].sort((a, b) => a - b);
  if (used.length === draft.clocks.length) return;
  const place = new Map(used.map((old, i) => [old, i]));
  for (const move of moves) Object.assign(move, { from: place.get(move.from)!, to: place.get(move.to)! });
  draft.clocks = used.map((old) => draft.clocks[old]!);
}

/** Index of a tempo map among the former ones, added where it is not the last. */
function clockIndex(draft: Draft<SongDocument>, tempo: readonly TempoChange[]): number {
  const key = JSON.stringify(tempo);
  const known = draft.clocks.findIndex((clock) => JSON.stringify(clock) === key);
  if (known >= 0) return known;
  draft.clocks.push([...tempo]);
  return draft.clocks.length - 1;
}

/**
 * Sets tempo and meter. Takes either keep their bars, which needs no change as they are read in song time, or keep
 * their seconds: then their ranges, the comp and the treatments move. Recorded layers are not changed either way.
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
 * Moves a whole take by seconds, with its layers, edits and range. The comp stays, so what is heard there is what the
 * take has there now.
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
