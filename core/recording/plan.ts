import type { Latency } from '../placement/place';
import type { SongMaps } from '../document/maps';
import { transpositionOf } from '../document/transposition';
import type { SongDocument } from '../document/document';
import type { LayerHeader, LayerSound } from '../takes/layer';
import { barAt, barStart, meterAt } from '../time/meter';
import { bpmAt, secondsAt } from '../time/tempo';
import { TICKS_PER_QUARTER, type TickRange, type Ticks } from '../time/units';
import { countOff } from './count';
import type { Listener } from './inputRoutes';
import { modeOf } from './outcome';
import type { PassPlan } from './state';
import { recordedRange, spanAfter, spanBefore } from './settings';

export interface PlanFacts {
  readonly song: SongDocument;
  readonly maps: SongMaps;
  /** Armed parts, at least one. */
  readonly listeners: readonly Listener[];
  /** Start of a pass without an in: the playhead, or the place of a punch-in. */
  readonly start: Ticks;
  /** Name of the layer's source. */
  readonly from: string;
  readonly latency: Latency;
  readonly newId: () => string;
  /** Start as an ISO 8601 date and time. */
  readonly at: string;
  /** True for recording that begins at `start` in rolling music. */
  readonly punched?: boolean;
  /** Recordings that run in this pass, by the part whose outside instrument they are of. */
  readonly sounds?: ReadonlyMap<string, Pick<LayerSound, 'recording' | 'input'>>;
}

/** Place at which the music of the lead-in starts. */
export function leadInStart({ brief }: Pick<SongDocument, 'brief'>, meter: SongMaps['meter'], from: Ticks): Ticks {
  if (!brief.leadInOn || brief.wait !== 'no') return from;
  return Math.min(from, Math.max(0, spanBefore(meter, from, brief.leadIn)));
}

/** Range of the loop: between in and out; where one is off, from the song's start or to its end. */
export function loopRange({ range, punchIn, punchOut }: SongDocument['brief'], end: Ticks): TickRange {
  const from = range && punchIn && range.from < end ? Math.max(0, range.from) : 0;
  return { from, to: range && punchOut && range.to > from ? Math.min(range.to, end) : end };
}

/** Headers of the layers, one for each armed part. */
export function layerHeaders(facts: PlanFacts, passId: string, planned: TickRange): LayerHeader[] {
  const {
    song: { brief, tempo, speed, transposition },
    maps,
    listeners,
    from,
    latency,
    newId,
    at,
    sounds,
  } = facts;
  const soundOf = (part: string): LayerSound | undefined => {
    const own = brief.ride === null ? sounds?.get(part) : undefined;
    return own && { ...own, frame: 0 };
  };
  const heard = transpositionOf(transposition, maps.meter);
  return listeners.map(({ part }) => ({
    id: newId(),
    takeId: newId(),
    partId: part.id,
    passId,
    source: 'pass',
    from,
    startedAt: at,
    tempo,
    latency,
    ...(speed === 1 ? {} : { speed }),
    ...(heard.length > 0 ? { transposition: heard } : {}),
    placement: part.placement,
    planned,
    early: brief.early,
    quantize: brief.quantize,
    gap: brief.gap,
    ...(brief.loop ? { laps: brief.laps, lap: 0 } : {}),
    ...(brief.ride === null ? {} : { ride: brief.ride }),
    ...(soundOf(part.id) ? { sound: soundOf(part.id)! } : {}),
  }));
}

/** Largest rounding error of a place. */
const ROUNDING: Ticks = 1e-6;

/** Plan of the pass that the brief describes. The brief and these facts decide it, and nothing else. */
export function planPass(facts: PlanFacts): PassPlan {
  const { song, maps, listeners, start, newId, punched = false } = facts;
  const { brief } = song;
  const { meter, tempo } = maps;
  const round = brief.loop ? loopRange(brief, maps.end) : null;
  const range = punched
    ? recordedRange({ ...brief, punchIn: false }, start, maps.end)
    : (round ?? recordedRange(brief, start, maps.end));
  const chosen = round && punched ? { from: Math.min(range.from, round.to - 1), to: round.to } : range;
  // The tick of the press is included, with the note that was struck with it.
  const from = Math.floor(chosen.from + ROUNDING);
  const planned = { from, to: Math.max(from + 1, Math.round(chosen.to)) };
  const passId = newId();
  const wait = punched ? 'no' : brief.wait;
  const music = punched ? planned.from : leadInStart(song, meter, planned.from);
  const secondsPerTick = 60 / bpmAt(tempo, planned.from) / TICKS_PER_QUARTER;
  const layers = layerHeaders(facts, passId, planned);
  return {
    passId,
    mode: layers[0] ? modeOf({ ...(brief.ride === null ? {} : { ride: brief.ride }) }, brief.mode) : brief.mode,
    range: planned,
    count: countOff(tempo, meter, music, brief.countOffBars, brief.countOffBeats),
    wait,
    round: {
      bar: meterAt(meter, planned.from).ticksPerBar * secondsPerTick,
      ahead: brief.early * secondsPerTick,
      beats: brief.countOffBars || brief.countOffBeats ? countOff(tempo, meter, planned.from, 1).beats : [],
    },
    music,
    leadOut: brief.loop ? 0 : Math.max(0, Math.min(spanAfter(meter, planned.to, brief.leadOut), maps.end) - planned.to),
    loop: round && { from: round.from, laps: brief.laps },
    punched,
    songEnds: secondsAt(tempo, maps.end),
    layers,
    routes: listeners.map((l) => l.route),
  };
}

/** Lead-in that starts at a place on the chart, in whole bars where possible. */
export function leadInFrom(
  meter: SongMaps['meter'],
  pointed: Ticks,
  from: Ticks,
): { count: number; unit: 'bars' | 'beats' } {
  const bars = barAt(meter, from) - barAt(meter, pointed);
  if (
    spanBefore(meter, from, { count: Math.max(0, bars), unit: 'bars' }) === pointed ||
    barStart(meter, barAt(meter, pointed)) === pointed
  )
    return { count: Math.max(0, Math.min(64, bars)), unit: 'bars' };
  return {
    count: Math.max(0, Math.min(64, Math.round((from - pointed) / meterAt(meter, pointed).ticksPerBeat))),
    unit: 'beats',
  };
}
