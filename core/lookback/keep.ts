import type { Mode, LapPolicy } from '../vocabulary/modes';
import { countOff } from '../recording/count';
import { admits, type InputRoute } from '../recording/inputRoutes';
import { pass } from '../recording/pass';
import { lapAt, IDLE, LATEST, type PassInput, type PassPlan, type PassResult } from '../recording/state';
import { closeLayer, type Heard } from '../recording/lap';
import { shiftOf, type Placement } from '../placement/place';
import type { SongMaps } from '../document/maps';
import type { Transposition } from '../performance/transposition';
import type { Recipe } from '../timing/recipe';
import { KEPT_FROM, type Layer, type LayerEvent, type LayerHeader } from '../takes/layer';
import { barAt, barStart } from '../time/meter';
import { secondsAt, tempoMap, tickAt, type TempoChange } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { keysDown, type BufferedEvent, type Listening, type Passage } from './buffer';

/** Layers to store, and which of them become takes. */
export interface Kept {
  readonly layers: readonly { readonly layer: Layer; readonly mode: Mode }[];
  readonly results: readonly PassResult[];
}

export interface KeepFacts {
  readonly passage: Passage;
  /** Controllers' values before it, by `controlsBefore`. */
  readonly before: readonly BufferedEvent[];
  readonly listenings: ReadonlyMap<number, Listening>;
  readonly maps: SongMaps;
  readonly tempo: readonly TempoChange[];
  /** Transposition of the song, for free playing; rolls have their own. */
  readonly transposition?: Transposition;
  /** Placement of each part by id; parts that are no longer in the song keep nothing. */
  readonly placements: ReadonlyMap<string, Placement>;
  readonly mode: Mode;
  readonly laps: LapPolicy;
  readonly early: Ticks;
  readonly gap: Ticks;
  /** Treatment to apply to what is kept, if requested; the brief's own is for passes. */
  readonly quantize?: Recipe | null;
  readonly newId: () => string;
  /** ISO 8601. */
  readonly at: string;
}

/** End of what was recorded before, possibly within a bar: what is kept begins no earlier. */
const STEP: Seconds = 1e-4;
const INSTANT: Seconds = 1e-6;
/** The longest allowance there is. */
const MOST_EARLY: Ticks = 960;

const NOTHING_KEPT: Kept = { layers: [], results: [] };

/** The roll that it was played in. */
type Roll = NonNullable<KeepFacts['passage']['roll']>;
const secondsOf = (e: BufferedEvent): Seconds => e.place!.at;

/** Beginning and end of what is kept, in the song and on the rolling clock. */
interface KeptSpan {
  readonly from: Ticks;
  readonly range: TickRange;
  /** The loop in the song, and its length in seconds; none and 0 without one. */
  readonly loop: TickRange | null;
  readonly length: Seconds;
  readonly startsAt: Seconds;
  readonly end: Seconds;
}

/** The bar that the first note means, in a loop the loop's start, and no earlier than the last keep ended. */
function startOf(
  { maps, early }: KeepFacts,
  roll: Roll,
  loop: TickRange | null,
  lap: number,
  struckAt: Ticks,
  // Seconds from the lap's own zero.
  notBefore: Seconds,
  until: Seconds,
): Ticks {
  const tempo = tempoMap(roll.tempo);
  // A note just ahead of a bar means that bar, if it was reached.
  const ahead = barAt(maps.meter, struckAt + early);
  const isReached = secondsAt(tempo, barStart(maps.meter, ahead)) + STEP < until;
  const barTick = barStart(maps.meter, Math.max(1, isReached ? ahead : barAt(maps.meter, struckAt)));
  const own = loop && (lap > 0 || barTick >= loop.from) ? loop.from : barTick;
  if (notBefore <= secondsAt(tempo, own)) return Math.max(0, own);
  return Math.max(own, 0, Math.ceil(tickAt(tempo, Math.max(notBefore, -1) + STEP)));
}

/**
 * The end on the rolling clock: now in a loop and while keys are down, otherwise the bar of the last note. All notes so
 * far are included, even if placement moves them past it.
 */
function endOf(
  { passage: { events }, maps }: KeepFacts,
  roll: Roll,
  from: Ticks,
  shift: Seconds,
  until: Seconds,
): Seconds {
  const tempo = tempoMap(roll.tempo);
  const lastStruck = events.reduce(
    (last, e) => (e.message.type === 'noteOn' ? Math.max(last, secondsOf(e)) : last),
    -Infinity,
  );
  const least = lastStruck + Math.max(0, shift) + STEP;
  // Keys that are down ring up to now.
  const rings = Number.isFinite(until) && keysDown(events).size > 0;
  if (roll.loop || rings) return Math.max(until, least);
  const lastTick = tickAt(tempo, secondsOf(events.at(-1)!) + shift) - 1;
  const lastBar = barStart(maps.meter, barAt(maps.meter, Math.max(from, lastTick)) + 1);
  const stopped = Math.max(secondsAt(tempo, lastBar), secondsAt(tempo, from) + STEP);
  return Math.max(Math.min(until, stopped), least);
}

function spanOf(facts: KeepFacts, roll: Roll, first: BufferedEvent, notBefore: Seconds, until: Seconds): KeptSpan {
  const tempo = tempoMap(roll.tempo);
  const length = roll.loop ? roll.loop.to - roll.loop.from : 0;
  const lap = lapAt(roll.loop, secondsOf(first));
  const frame = lap * length;
  const shift = shiftAt(facts, first, roll.latency, roll.speed);
  const loop = roll.loop && {
    from: Math.round(tickAt(tempo, roll.loop.from)),
    to: Math.round(tickAt(tempo, roll.loop.to)),
  };
  const struckAt = tickAt(tempo, secondsOf(first) - frame + shift);
  const from = startOf(facts, roll, loop, lap, struckAt, notBefore - frame, until - frame);
  const range = { from, to: loop ? loop.to : Math.max(from + 1, facts.maps.end) };
  const startsAt = secondsAt(tempo, from) + frame;
  return { from, range, loop, length, startsAt, end: endOf(facts, roll, from, shift, until) };
}

/** Headers of the layers that armed parts get; parts that the song has no more get none. */
function headersOf(facts: KeepFacts, roll: Roll, range: TickRange, passId: string) {
  const { early, gap, laps, quantize = null, newId, at: startedAt, placements } = facts;
  return (parts: Listening['parts']): LayerHeader[] =>
    parts.flatMap(({ part: partId }): LayerHeader[] => {
      const placement = placements.get(partId);
      if (!placement) return [];
      return [
        {
          ...{ id: newId(), takeId: newId(), partId, passId, from: KEPT_FROM, startedAt },
          source: 'pass',
          ...{ tempo: roll.tempo, latency: roll.latency, placement, planned: range, early, quantize, gap },
          ...(roll.speed === 1 ? {} : { speed: roll.speed }),
          ...(roll.transposition?.length ? { transposition: roll.transposition } : {}),
          ...(roll.loop ? { laps, lap: 0 } : {}),
        },
      ];
    });
}

/**
 * Keeps what was played while something rolled, as a pass would have recorded it: the held events go through the pass's
 * own reducer, punched in at the bar of the first note and stopped where the playing ended.
 * @param notBefore on the rolling clock: where the last keep of this roll ended
 * @param until on the rolling clock: where the song is now, or stopped
 */
export function keepRolled(facts: KeepFacts, notBefore: Seconds, until: Seconds): Kept {
  const { maps, early, laps, mode, newId } = facts;
  const { events, roll } = facts.passage;
  // Messages that no part received are left out: the pass begins with the first note that an armed part received.
  const first = events.find((e) => e.message.type === 'noteOn' && isHeard(facts, e));
  if (!roll || !first) return NOTHING_KEPT;
  const span = spanOf(facts, roll, first, notBefore, until);
  const { from, range, loop } = span;
  const passId = newId();
  const listening = (e: BufferedEvent) => facts.listenings.get(e.listening)?.parts ?? [];
  const headers = headersOf(facts, roll, range, passId);
  const routes = (parts: Listening['parts']): InputRoute[] =>
    parts.filter(({ part }) => facts.placements.has(part)).map((p) => p.ear);
  const layers = headers(listening(first));
  if (layers.length === 0) return NOTHING_KEPT;
  const tempo = tempoMap(roll.tempo);
  const plan: PassPlan = {
    ...{ passId, mode, range, layers, punched: true, leadOut: 0, music: from },
    wait: 'no',
    count: countOff(tempo, maps.meter, from, 0),
    round: { bar: 0, beats: [], ahead: secondsAt(tempo, from) - secondsAt(tempo, from - early) },
    loop: loop && { from: loop.from, laps },
    songEnds: maps.endSeconds,
    routes: routes(listening(first)),
  };
  const replay = replaying();
  for (const { port, message } of facts.before) replay.send({ type: 'key', at: 0, port, message });
  const rollsFrom = Math.min(span.startsAt, secondsOf(events[0]!)) - 1;
  replay.send({ type: 'play', from: rollsFrom, endsAt: maps.endSeconds, loop: roll.loop });
  sendThrough(replay, facts, span, plan, first.listening, (event) => {
    const parts = listening(event);
    return { layers: headers(parts), routes: routes(parts) };
  });
  replay.send({ type: 'stop', at: span.end });
  replay.send({ type: 'clock', at: span.end + span.length + LATEST + 2 });
  return withoutIdle(replay.kept);
}

/** Sends the held events through a pass: punched in at its start, with the parts that were armed at each. */
function sendThrough(
  replay: ReturnType<typeof replaying>,
  { passage: { events } }: KeepFacts,
  { startsAt, length }: KeptSpan,
  plan: PassPlan,
  armed: BufferedEvent['listening'],
  armedAt: (event: BufferedEvent) => { layers: LayerHeader[]; routes: InputRoute[] },
): void {
  let begun = false;
  let listens = armed;
  let together: Heard[] = [];
  const send = (): void => {
    if (together.length) replay.send({ type: 'keys', heard: together });
    together = [];
  };
  const begin = (): void => {
    send();
    if (!begun) replay.send({ type: 'punch in', at: startsAt, plan });
    begun = true;
  };
  // Notes of one set of armed parts lie before those of the next, even at the same moment.
  let latest = -Infinity;
  let since = -Infinity;
  let told = startsAt;
  for (const event of events) {
    if (!begun && secondsOf(event) >= startsAt) begin();
    if (begun && event.listening !== listens) {
      send();
      listens = event.listening;
      since = secondsOf(event) > latest ? secondsOf(event) : latest + INSTANT;
      replay.send({ type: 'listen', at: since, ...armedAt(event) });
    }
    const struck = Math.max(since, secondsOf(event));
    // Lap by lap, as in a pass: a lap that is over is closed.
    if (begun && length > 0 && struck - told > length) {
      send();
      replay.send({ type: 'clock', at: latest });
      told = struck;
    }
    latest = Math.max(latest, struck);
    together.push({ at: struck, port: event.port, message: event.message });
  }
  begin();
}

/** Test for an event that a part in the song received. */
const isHeard = ({ listenings, placements }: KeepFacts, { listening, port, message }: BufferedEvent): boolean =>
  (listenings.get(listening)?.parts ?? []).some(({ part, ear }) => placements.has(part) && admits(ear, port, message));

/** Result without laps that have no event. */
function withoutIdle({ layers, results }: Kept): Kept {
  const anything = new Set(
    results.flatMap((r) => r.layers.filter((l) => l.notes > 0 || l.touched).map((l) => l.header.id)),
  );
  return {
    layers: layers.filter(({ layer }) => anything.has(layer.header.id)),
    results: results
      .map((r) => ({ ...r, layers: r.layers.filter((l) => anything.has(l.header.id)) }))
      .filter((r) => r.layers.length > 0),
  };
}

const shiftAt = (
  facts: KeepFacts,
  event: BufferedEvent,
  latency: Parameters<typeof shiftOf>[1],
  speed: number,
): Seconds => {
  const part = facts.listenings.get(event.listening)?.parts[0]?.part;
  const placement = part === undefined ? undefined : facts.placements.get(part);
  return placement ? shiftOf(placement, latency) * speed : 0;
};

/** Reducer of the pass, with its effects on storage and song collected. */
function replaying(): { readonly send: (input: PassInput) => void; readonly kept: Kept } {
  let state = IDLE;
  const open = new Map<string, { readonly header: LayerHeader; readonly mode: Mode; readonly events: LayerEvent[] }>();
  const layers: Kept['layers'][number][] = [];
  const results: PassResult[] = [];
  return {
    kept: { layers, results },
    send(input) {
      const { state: next, effects } = pass(state, input);
      state = next;
      for (const effect of effects) {
        switch (effect.type) {
          case 'openLayer':
            open.set(effect.header.id, { header: effect.header, mode: effect.mode, events: [] });
            break;
          case 'keep':
            open.get(effect.layerId)!.events.push(effect.event);
            break;
          case 'recorded':
            results.push(effect.result);
            break;
          case 'closeLayer': {
            const { header, mode, events } = open.get(effect.layerId)!;
            layers.push({ layer: { header, closing: effect.closing, events }, mode });
          }
        }
      }
    },
  };
}

/** Tick of each moment of a freely played phrase. */
export type PhrasePlacement = (wall: Seconds) => Ticks;

/** Keeps free playing at a place in the song. */
export function keepFree(
  facts: KeepFacts,
  tickOf: PhrasePlacement,
  range: { readonly from: Ticks; readonly to: Ticks },
): Kept {
  const {
    passage: { events },
    before,
    tempo,
    transposition,
    placements,
    mode,
    gap,
    quantize = null,
    newId,
    at,
  } = facts;
  // A phrase is kept whole: its first notes are not too early for it.
  const first = events.find((e) => e.message.type === 'noteOn');
  const early = Math.min(
    MOST_EARLY,
    Math.max(facts.early, first ? Math.ceil(range.from - tickOf(first.wall / 1000)) : 0),
  );
  const map = tempoMap(tempo);
  const passId = newId();
  const parts = new Set(events.flatMap((e) => (facts.listenings.get(e.listening)?.parts ?? []).map((p) => p.part)));
  const layers: Kept['layers'][number][] = [];
  const closed = [...parts].flatMap((partId) => {
    const placement = placements.get(partId);
    if (!placement) return [];
    const header: LayerHeader = {
      id: newId(),
      takeId: newId(),
      partId,
      passId,
      source: 'pass',
      from: KEPT_FROM,
      startedAt: at,
      tempo,
      latency: { output: 0, input: 0 },
      ...(transposition?.length ? { transposition } : {}),
      placement,
      planned: range,
      early,
      quantize,
      gap,
    };
    // Without a roll nothing was early or late: the part's nudge is subtracted here, as reading adds it.
    const shift = shiftOf(placement, header.latency);
    const held = before.map((e): LayerEvent => ({
      at: secondsAt(map, range.from - early) - 1 - shift,
      message: e.message,
    }));
    const own = [
      ...held,
      ...events
        .filter((e) => heard(e, partId, facts.listenings))
        .map((e): LayerEvent => ({ at: secondsAt(map, tickOf(e.wall / 1000)) - shift, message: e.message })),
    ];
    const made = closeLayer(header, own, mode, range.to);
    layers.push({ layer: { header, closing: made.closing, events: own }, mode });
    return [made];
  });
  return { layers, results: closed.length ? [{ passId, mode, layers: closed }] : [] };
}

function heard(
  { listening, port, message }: BufferedEvent,
  part: string,
  listenings: KeepFacts['listenings'],
): boolean {
  const route = listenings.get(listening)?.parts.find((p) => p.part === part)?.ear;
  return route ? admits(route, port, message) : message.type === 'noteOff';
}
