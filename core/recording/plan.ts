import type { Latency } from '../placement/place';
import type { SongMaps } from '../song/song';
import type { Part, SongDocument } from '../song/document';
import type { Ticks } from '../time/units';
import { countOff } from './count';
import type { PassPlan } from './pass';

/** A sixteenth: how far ahead of the start a strike still counts. */
const EARLY: Ticks = 240;

export interface PlanFacts {
  readonly song: SongDocument;
  readonly maps: SongMaps;
  /** The part that hears the keys. */
  readonly part: Part;
  /** Where a pass without a range begins. */
  readonly start: Ticks;
  /** What the layer's source is called, for people. */
  readonly from: string;
  readonly latency: Latency;
  readonly newId: () => string;
  /** ISO 8601. */
  readonly at: string;
}

/** The pass that the brief describes: the brief and these facts decide it, and nothing else. */
export function planPass({ song, maps, part, start, from, latency, newId, at }: PlanFacts): PassPlan {
  const { brief } = song;
  const range = brief.range ?? { from: Math.min(start, maps.end - 1), to: maps.end };
  const passId = newId();
  return {
    passId, mode: brief.mode, range, keyboard: brief.keyboard,
    count: countOff(maps.tempo, maps.meter, range.from, brief.countOffBars),
    layers: [{
      id: newId(), takeId: newId(), partId: part.id, passId, source: 'pass', from, startedAt: at,
      tempo: song.tempo, latency, placement: part.placement, planned: range, early: EARLY, quantize: brief.quantize,
    }],
  };
}
