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

function moveRanges<T extends TickRange>(ranges: T[], warp: Warp): T[] {
  return ranges.map((range) => warpRange(range, warp));
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
export function retime(draft: Draft<SongDocument>, { tempo = draft.tempo, meter = draft.meter, bars = 0, shift = 0, takes }: Retiming): void {
  const before = [...draft.tempo];
  const after = [...tempo];
  if (takes === 'recording' && draft.parts.some((p) => p.takes.length > 0)) {
    const warp = warpBetween(tempoMap(before), tempoMap(after), shift);
    const [from, to] = [clockIndex(draft, before), clockIndex(draft, after)];
    for (const part of draft.parts) {
      for (const take of part.takes) {
        take.warps.push({ layers: take.layers.length, from, to, shift });
        Object.assign(take, warpRange({ from: take.from, to: take.to }, warp));
      }
      part.comp = moveRanges(part.comp, warp);
      part.treatments = moveRanges(part.treatments, warp);
    }
    if (draft.brief.range) draft.brief.range = warpRange(draft.brief.range, warp);
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
