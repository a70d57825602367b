import type { Draft } from 'immer';
import type { Part } from '../document/part';
import type { Take } from '../document/take';
import { wholeTicks, type TickRange } from '../time/units';
import { warpRange, type TempoWarp } from '../time/tempoWarp';

/** Movers, by field, for when song time moves under a part or take; null for a field that names no place. */
type Moves<Of> = { readonly [Field in keyof Of]: ((value: Of[Field], warp: TempoWarp) => Of[Field]) | null };

/** Ranges moved, on whole ticks; what would be shorter than one is gone. */
const ranges = <T extends TickRange>(all: readonly T[], warp: TempoWarp): T[] =>
  all.map((range) => wholeTicks(warpRange(range, warp))).filter((range) => range.to > range.from);
const place = (tick: number, warp: TempoWarp): number => Math.round(warp(tick));

/**
 * Every field of a part, so that a new one has to say whether it names a place. What was sounded again is held against
 * bars by what they sound like, and what was handed over is bar by bar: neither is moved.
 */
export const PART_PLACES: Moves<Part> = {
  comp: ranges,
  lanes: ranges,
  joins: (joins, warp) => joins.map((join) => ({ ...join, at: place(join.at, warp) })),
  treatments: ranges,
  decided: (decided, warp) =>
    Object.fromEntries(
      Object.entries(decided).map(([note, line]) => [note, line === 'played' ? line : place(line, warp)]),
    ),
  // Each take says for itself how it has moved.
  takes: null,
  ...{
    id: null,
    name: null,
    ink: null,
    sound: null,
    tone: null,
    gainDb: null,
    muted: null,
    solo: null,
    placement: null,
  },
  ...{ monitor: null, output: null, input: null, heardAs: null, soundedAgain: null, overLine: null, away: null },
  ...{ handed: null, sheet: null },
};

/** Every field of a take. Its layers, their windows and its edits are read through its tempo warps. */
export const TAKE_PLACES: Moves<Take> = {
  from: place,
  to: place,
  ...{ id: null, name: null, note: null, mark: null, number: null, layers: null, placement: null, placements: null },
  ...{ at: null, warps: null, windows: null, muted: null, edits: null },
};

function moveFields<Of extends object>(of: Of, moves: Moves<Of>, warp: TempoWarp): void {
  for (const field of Object.keys(moves) as (keyof Of)[]) {
    const move = moves[field];
    if (move) Object.assign(of, { [field]: move(of[field], warp) });
  }
}

/** Moves everything in a part that names a place, its takes' ranges among it. */
export function movePlaces(part: Draft<Part>, warp: TempoWarp): void {
  moveFields(part as Part, PART_PLACES, warp);
  for (const take of part.takes) moveTakePlaces(take, warp);
}

/** Moves what names a place in one take: at least a tick of it is left. */
export function moveTakePlaces(take: Draft<Take>, warp: TempoWarp): void {
  moveFields(take as Take, TAKE_PLACES, warp);
  take.to = Math.max(take.to, take.from + 1);
}
