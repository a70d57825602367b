import type { LayerHeader } from '../takes/layer';
import { secondsAt, tempoMap, type TempoMap } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { IDLE, LATEST, type PassEffect, type PassPlan, type PassState, type PassStep } from './state';
import { closeLap, heardSince, takesIn, type Heard, type HeardList, type ListeningPart, type Lap } from './lap';

/** Least time beyond the ends of a lap that is recorded. */
const LAP_OVERLAP: Seconds = 0.5;

/** Step that changes the state and has no effects. */
export const only = (state: PassState): PassStep => ({ state, effects: [] });
/** Two steps in a row, with the effects of both. */
export function andThen(step: PassStep, next: (state: PassState) => PassStep): PassStep {
  const { state, effects } = next(step.state);
  return { state, effects: effects.length ? [...step.effects, ...effects] : step.effects };
}

/** Header of a later lap's layer. Its ids follow from the first one's, so that a replayed log gives the same layers. */
export function lapHeader(given: LayerHeader, lap: number, planned: TickRange, frame: Seconds): LayerHeader {
  const header = given.sound ? { ...given, sound: { ...given.sound, frame } } : given;
  if (lap === 0) return { ...header, planned };
  const takeId = header.laps === 'fresh, then build up' ? header.takeId : `${header.takeId}.${lap}`;
  return { ...header, id: `${header.id}.${lap}`, takeId, lap, planned };
}

/**
 * Opens a lap, with messages from shortly before it and the values of its controllers.
 * @param quiet true while nothing is recorded, as the lap's place is not known before the first note
 */
export function openLap(state: PassState, lap: Lap, since: readonly Heard[], quiet = false): PassStep {
  const first = lap.startsAt - lap.margin;
  const late = since.filter((h) => h.at >= first);
  // A part that was armed in an earlier lap has the controllers' values from then.
  const came = lap.listening.map((v) => v.from).filter((from) => from > -Infinity && from < first);
  const lastValues = [...state.lastValues.values()];
  const holding = lastValues
    .filter((h) => h.at < first)
    .flatMap((h) => [h, ...came.filter((from) => from > h.at).map((at): Heard => ({ ...h, at }))]);
  // Controllers that moved shortly before, while something else was recorded.
  const moved = lastValues.filter((h) => h.at >= first && !late.includes(h));
  const taken = [...holding, ...[...moved, ...late].sort((x, y) => x.at - y.at)];
  const recorded = taken.reduce<HeardList | null>((before, heard) => ({ heard, before }), null);
  const opens: Lap = { ...lap, recorded, opened: false };
  // A release just ahead of a later lap is no playing in it; neither is one in a lap that has only sound.
  const begins = lap.lap === 0 || late.some((h) => h.message.type === 'noteOn') || isOnlySound(state.laps.at(-1));
  const { lap: made, effects } = begins ? opening(opens, !quiet) : { lap: opens, effects: [] };
  return { state: { ...state, laps: [...state.laps, made] }, effects };
}

/** Test for a lap with an outside instrument's sound and no notes. */
const isOnlySound = (lap: Lap | undefined): boolean =>
  lap !== undefined &&
  lap.opened &&
  lap.listening.some((part) => part.header.sound) &&
  !heardSince(lap.recorded, lap.startsAt).some((h) => h.message.type === 'noteOn');

/** Opens the layers of a lap that are not open, with what it has recorded so far. */
export function opening(lap: Lap, keeps = true): { readonly lap: Lap; readonly effects: readonly PassEffect[] } {
  if (lap.opened) return { lap, effects: [] };
  const effects: PassEffect[] = lap.listening.map(({ header }) => ({ type: 'openLayer', header, mode: lap.mode }));
  if (keeps)
    for (const heard of heardSince(lap.recorded, -Infinity)) for (const keep of keeping(lap, heard)) effects.push(keep);
  return { lap: { ...lap, opened: true }, effects };
}

/** State with the controllers' values up to a moment, for a roll that begins on a clock of its own. */
export const valuesFrom = (state: PassState, at: Seconds): PassState['lastValues'] =>
  new Map([...state.lastValues].map(([key, h]) => [key, { ...h, at }]));

/** Effects that record a message: one event for each part that it belongs to. */
export function keeping({ listening, frame }: Lap, heard: Heard): PassEffect[] {
  const effects: PassEffect[] = [];
  for (const part of listening) {
    if (takesIn(part, heard))
      effects.push({ type: 'keep', layerId: part.header.id, event: { at: heard.at - frame, message: heard.message } });
  }
  return effects;
}

/** First lap of a plan. */
export function firstLap(plan: PassPlan, frame: Seconds): Lap {
  const tempo = tempoOf(plan);
  const startsAt = secondsAt(tempo, plan.range.from) + frame;
  return {
    passId: plan.passId,
    mode: plan.mode,
    lap: 0,
    frame,
    startsAt,
    endsAt: secondsAt(tempo, plan.range.to) + frame,
    margin: marginOf(plan, tempo),
    listening: plan.layers.map((header, i) => ({
      ...{ header: lapHeader(header, 0, header.planned, frame), route: plan.routes[i]! },
      ...{ from: -Infinity, to: null },
    })),
    recorded: null,
    opened: false,
    ended: null,
    seam: { start: false, end: false },
  };
}

export function tempoOf({ layers }: PassPlan) {
  const tempo = layers[0]?.tempo;
  if (!tempo) throw new RangeError('A pass needs a part that listens.');
  return tempoMap(tempo);
}

/**
 * Time beyond its ends that a lap records: more than the allowance, at the slower of the tempos before the loop and at
 * its end.
 */
function marginOf({ layers: [layer], range }: PassPlan, tempo: TempoMap): Seconds {
  const early = layer?.early ?? 0;
  const before = (tick: Ticks): Seconds => secondsAt(tempo, tick) - secondsAt(tempo, tick - early);
  return Math.max(LAP_OVERLAP, before(range.from) + 0.1, before(range.to) + 0.1);
}

/** Lap that is being recorded. */
export const current = ({ laps }: PassState): Lap | undefined => (laps.at(-1)?.ended ? undefined : laps.at(-1));

export const replaceLast = (state: PassState, last: Lap): PassState => ({
  ...state,
  laps: [...state.laps.slice(0, -1), last],
});

/** Ends the recording. @param stopped by the player, before its planned end */
export function endLap(state: PassState, at: Seconds, rings: Seconds, stopped: boolean): PassState {
  const now = current(state);
  if (!now) return state;
  const started = at > now.startsAt;
  const before = state.laps.at(-2);
  const closesAt = Math.max(at, rings) + LATEST;
  const hardly =
    at < now.startsAt + now.margin &&
    now.seam.start &&
    before !== undefined &&
    before.ended !== null &&
    before.seam.end &&
    before.passId === now.passId;
  const ended: Lap = {
    ...now,
    ended: { at, rings: started ? Math.max(at, rings) : at, closesAt, stopped, ...(hardly ? { hardly } : {}) },
  };
  if (!hardly) return replaceLast(state, ended);
  // A lap that has hardly begun is judged once no late message can come; the lap before waits for that.
  const waits: Lap = {
    ...before,
    ended: { ...before.ended!, closesAt: Math.max(before.ended!.closesAt, closesAt) },
  };
  return { ...state, laps: [...state.laps.slice(0, -2), waits, ended] };
}

/**
 * Laps without one that had hardly begun and has no note: what was held across its boundary belongs to the lap before.
 */
function withoutHardly(laps: readonly Lap[]): readonly Lap[] {
  const last = laps.at(-1);
  const before = laps.at(-2);
  if (!last?.ended?.hardly || !before?.ended) return laps;
  if (heardSince(last.recorded, last.startsAt).some((h) => h.message.type === 'noteOn' && h.at < last.ended!.at))
    return laps;
  const whole: Lap = {
    ...before,
    seam: { ...before.seam, end: false },
    ended: { ...before.ended, at: before.endsAt, rings: before.endsAt, stopped: true },
  };
  const none: Lap = { ...last, ended: { ...last.ended, at: last.startsAt, rings: last.startsAt } };
  return [...laps.slice(0, -2), whole, none];
}

/** Time at which the current lap turns into the next; infinity where none follows. */
export const turnsAt = (state: PassState): Seconds =>
  state.loop && state.plan?.loop && state.phase === 'recording' ? (current(state)?.endsAt ?? Infinity) : Infinity;

/** Ends laps that are over, and begins the next ones. */
export function turnLaps(state: PassState, at: Seconds): PassStep {
  let step = only(state);
  for (let turned = turnLap(step.state, at); turned; turned = turnLap(step.state, at)) {
    step = { state: turned.state, effects: [...step.effects, ...turned.effects] };
  }
  return step;
}

/** Ends the lap that is over, if any, and begins the next one that can have messages: idle laps leave nothing. */
function turnLap(state: PassState, at: Seconds): PassStep | undefined {
  const now = current(state);
  const { loop, plan } = state;
  if (!now || !loop || !plan?.loop || at < turnsAt(state)) return undefined;
  const length = loop.to - loop.from;
  // Laps in between are empty, or their messages would have come before. A note just ahead of the boundary may belong
  // to the next lap.
  const reaches = heardSince(now.recorded, now.endsAt - now.margin).some((h) => h.message.type === 'noteOn');
  const idle = reaches ? 0 : Math.max(0, Math.floor((at - now.endsAt - now.margin) / length) - 1);
  const by = length * (idle + 1);
  const lap = now.lap + idle + 1;
  const planned = { from: plan.loop.from, to: plan.range.to };
  const next: Lap = {
    ...now,
    lap,
    frame: now.frame + by,
    startsAt: now.endsAt + by - length,
    endsAt: now.endsAt + by,
    recorded: null,
    opened: false,
    ended: null,
    seam: { start: true, end: false },
    listening: now.listening
      .filter((v) => v.to === null)
      .map((v) => ({ ...v, header: lapHeader(baseOf(plan, v), lap, planned, now.frame + by) })),
  };
  const over: Lap = {
    ...now,
    seam: { ...now.seam, end: true },
    ended: { at: now.endsAt, rings: now.endsAt, closesAt: now.endsAt + now.margin + LATEST, stopped: false },
  };
  return openLap(replaceLast(state, over), next, heardSince(now.recorded, next.startsAt - next.margin));
}

/** Header after which a part's later laps are named. */
function baseOf(plan: PassPlan, { header }: ListeningPart): LayerHeader {
  const own = plan.layers.find((l) => l.partId === header.partId);
  return own ?? { ...header, id: header.id.replace(/\.\d+$/, ''), takeId: header.takeId.replace(/\.\d+$/, '') };
}

/** Closes laps that have ended and that no late message can belong to. */
export function closeEnded(state: PassState, at: Seconds): PassStep {
  if (!state.laps.some((w) => w.ended && at >= w.ended.closesAt)) return only(state);
  const all = withoutHardly(state.laps);
  const done = all.filter((w) => w.ended && at >= w.ended.closesAt);
  const laps = all.filter((w) => !done.includes(w));
  const effects = done.flatMap((w): PassEffect[] => {
    const layers = w.opened ? closeLap(w) : [];
    const { passId, mode, frame } = w;
    return [
      ...layers.map((l): PassEffect => ({ type: 'closeLayer', layerId: l.header.id, closing: l.closing })),
      ...(w.opened ? [{ type: 'recorded', result: { passId, mode, frame, layers } } as const] : []),
      ...(laps.some((left) => left.passId === passId) || w !== done.findLast((d) => d.passId === passId)
        ? []
        : [{ type: 'finished', passId } as const]),
    ];
  });
  const idle = state.phase === 'stopping' && laps.length === 0;
  return { state: idle ? { ...IDLE, lastValues: state.lastValues } : { ...state, laps }, effects };
}
