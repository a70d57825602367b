import type { Draft } from 'immer';
import type { Part } from '../document/part';
import type { Take } from '../document/take';
import { wholeTicks, type TickRange } from '../time/units';
import { warpRange, type TempoWarp } from '../time/tempoWarp';

/** Functions that move a field's places when song time changes, by field; null for a field without places. */
type Moves<Of> = { readonly [Field in keyof Of]: ((value: Of[Field], warp: TempoWarp) => Of[Field]) | null };

/** Ranges after a move, in whole ticks; those shorter than a tick are dropped. */
const ranges = <T extends TickRange>(all: readonly T[], warp: TempoWarp): T[] =>
  all.map((range) => wholeTicks(warpRange(range, warp))).filter((range) => range.to > range.from);
const place = (tick: number, warp: TempoWarp): number => Math.round(warp(tick));

/**
 * Movers of all fields of a part, complete by type, so that a new field has to be listed. Fingerprints of sounded and
 * handed-over bars are by bar number, and are not moved.
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
  // Takes have their own movers.
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

/** Movers of all fields of a take. Its layers, windows and edits are read through its tempo warps. */
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

/** Moves all places in a part, with its takes' ranges. */
export function movePlaces(part: Draft<Part>, warp: TempoWarp): void {
  moveFields(part as Part, PART_PLACES, warp);
  for (const take of part.takes) moveTakePlaces(take, warp);
}

/** Moves the places in a take, which keeps at least a tick. */
export function moveTakePlaces(take: Draft<Take>, warp: TempoWarp): void {
  moveFields(take as Take, TAKE_PLACES, warp);
  take.to = Math.max(take.to, take.from + 1);
}
