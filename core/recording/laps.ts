import type { LayerHeader } from '../takes/layer';
import { secondsAt, tempoMap, type TempoMap } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { IDLE, LATEST, type PassEffect, type PassPlan, type PassState, type PassStep } from './state';
import { closeWriting, keptSince, takesIn, type Heard, type Kept, type Voice, type Writing } from './writing';

/** The least that is kept beyond the ends of a lap. */
const SEAM: Seconds = 0.5;

/** A step that changes the state and asks for nothing. */
export const only = (state: PassState): PassStep => ({ state, effects: [] });
/** One step after another, with what both ask for. */
export function andThen(step: PassStep, next: (state: PassState) => PassStep): PassStep {
  const { state, effects } = next(step.state);
  return { state, effects: effects.length ? [...step.effects, ...effects] : step.effects };
}

/** A layer of a later lap: its ids follow from the first one's, so that a log replays to the same layers. */
export function lapHeader(header: LayerHeader, lap: number, planned: TickRange): LayerHeader {
  if (lap === 0) return { ...header, planned };
  const takeId = header.laps === 'fresh, then build up' ? header.takeId : `${header.takeId}.${lap}`;
  return { ...header, id: `${header.id}.${lap}`, takeId, lap, planned };
}

/**
 * Opens a writing and takes in what was sent shortly before it, and what its controllers hold.
 * @param quiet nothing of it is kept yet: where it lies is not known before the first note comes
 */
export function openWriting(state: PassState, writing: Writing, since: readonly Heard[], quiet = false): PassStep {
  const first = writing.startsAt - writing.margin;
  const late = since.filter((h) => h.at >= first);
  // A part that came to listen in an earlier lap knows what the controllers held when it came.
  const came = writing.voices.map((v) => v.from).filter((from) => from > -Infinity && from < first);
  const held = [...state.held.values()];
  const holding = held
    .filter((h) => h.at < first)
    .flatMap((h) => [h, ...came.filter((from) => from > h.at).map((at): Heard => ({ ...h, at }))]);
  // What was moved shortly before, while something else was recorded.
  const moved = held.filter((h) => h.at >= first && !late.includes(h));
  const taken = [...holding, ...[...moved, ...late].sort((x, y) => x.at - y.at)];
  const kept = taken.reduce<Kept | null>((before, heard) => ({ heard, before }), null);
  const opens: Writing = { ...writing, kept, opened: false };
  // A release just ahead of a later lap is none of its playing.
  const begins = writing.lap === 0 || late.some((h) => h.message.type === 'noteOn');
  const { writing: made, effects } = begins ? opening(opens, !quiet) : { writing: opens, effects: [] };
  return { state: { ...state, writing: [...state.writing, made] }, effects };
}

/** Opens the layers of a writing, if they are not open, with what it has kept so far. */
export function opening(
  writing: Writing,
  keeps = true,
): { readonly writing: Writing; readonly effects: readonly PassEffect[] } {
  if (writing.opened) return { writing, effects: [] };
  const effects: PassEffect[] = writing.voices.map(({ header }) => ({ type: 'openLayer', header, mode: writing.mode }));
  if (keeps) for (const heard of keptSince(writing.kept, -Infinity)) effects.push(...keeping(writing, heard));
  return { writing: { ...writing, opened: true }, effects };
}

/** What the controllers hold, as set before a moment: what is about to roll has a clock of its own. */
export const heldFrom = (state: PassState, at: Seconds): PassState['held'] =>
  new Map([...state.held].map(([key, h]) => [key, { ...h, at }]));

/** What is to be kept of something that was sent: one event for each part that takes it in. */
export function keeping({ voices, frame }: Writing, heard: Heard): PassEffect[] {
  const effects: PassEffect[] = [];
  for (const voice of voices) {
    if (takesIn(voice, heard))
      effects.push({ type: 'keep', layerId: voice.header.id, event: { at: heard.at - frame, message: heard.message } });
  }
  return effects;
}

/** The first writing of a plan. */
export function firstWriting(plan: PassPlan, frame: Seconds): Writing {
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
    voices: plan.layers.map((header, i) => ({ header, ear: plan.ears[i]!, from: -Infinity, to: null })),
    kept: null,
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
 * How much beyond its ends a lap takes in: more than the allowance, in the tempo before the loop and in the one at its
 * end.
 */
function marginOf({ layers: [layer], range }: PassPlan, tempo: TempoMap): Seconds {
  const early = layer?.early ?? 0;
  const before = (tick: Ticks): Seconds => secondsAt(tempo, tick) - secondsAt(tempo, tick - early);
  return Math.max(SEAM, before(range.from) + 0.1, before(range.to) + 0.1);
}

/** The writing that is being recorded into now. */
export const current = ({ writing }: PassState): Writing | undefined =>
  writing.at(-1)?.ended ? undefined : writing.at(-1);

export const replaceLast = (state: PassState, last: Writing): PassState => ({
  ...state,
  writing: [...state.writing.slice(0, -1), last],
});

/**
 * Ends what is recorded now.
 * @param stopped by the player, ahead of its planned end
 */
export function endWriting(state: PassState, at: Seconds, rings: Seconds, stopped: boolean): PassState {
  const now = current(state);
  if (!now) return state;
  const started = at > now.startsAt;
  const before = state.writing.at(-2);
  const closesAt = Math.max(at, rings) + LATEST;
  const hardly =
    at < now.startsAt + now.margin &&
    now.seam.start &&
    before !== undefined &&
    before.ended !== null &&
    before.seam.end &&
    before.passId === now.passId;
  const ended: Writing = {
    ...now,
    ended: { at, rings: started ? Math.max(at, rings) : at, closesAt, stopped, ...(hardly ? { hardly } : {}) },
  };
  if (!hardly) return replaceLast(state, ended);
  // Whether it was a lap is known when nothing late can come any more; the one before waits for that.
  const waits: Writing = {
    ...before,
    ended: { ...before.ended!, closesAt: Math.max(before.ended!.closesAt, closesAt) },
  };
  return { ...state, writing: [...state.writing.slice(0, -2), waits, ended] };
}

/**
 * A lap that had hardly begun, and in which nothing was struck, was no lap: what was held across its seam belongs to
 * the one before.
 */
function withoutHardly(writing: readonly Writing[]): readonly Writing[] {
  const last = writing.at(-1);
  const before = writing.at(-2);
  if (!last?.ended?.hardly || !before?.ended) return writing;
  if (keptSince(last.kept, last.startsAt).some((h) => h.message.type === 'noteOn' && h.at < last.ended!.at))
    return writing;
  const whole: Writing = {
    ...before,
    seam: { ...before.seam, end: false },
    ended: { ...before.ended, at: before.endsAt, rings: before.endsAt, stopped: true },
  };
  const none: Writing = { ...last, ended: { ...last.ended, at: last.startsAt, rings: last.startsAt } };
  return [...writing.slice(0, -2), whole, none];
}

/** Ends laps that are over, and begins the next ones. */
export function turnLaps(state: PassState, at: Seconds): PassStep {
  let step = only(state);
  for (let turned = turnLap(step.state, at); turned; turned = turnLap(step.state, at)) {
    step = { state: turned.state, effects: [...step.effects, ...turned.effects] };
  }
  return step;
}

/**
 * Ends the lap that is over, if one is, and begins the next one in which something can have been sent: idle laps leave
 * nothing.
 */
function turnLap(state: PassState, at: Seconds): PassStep | undefined {
  const now = current(state);
  const { loop, plan } = state;
  if (!now || !loop || !plan?.loop || state.phase !== 'recording' || at < now.endsAt) return undefined;
  const length = loop.to - loop.from;
  // Told so late, the laps in between had nothing: what was sent in them would have come with them. What was struck
  // just ahead of the seam may belong to the very next.
  const reaches = keptSince(now.kept, now.endsAt - now.margin).some((h) => h.message.type === 'noteOn');
  const idle = reaches ? 0 : Math.max(0, Math.floor((at - now.endsAt - now.margin) / length) - 1);
  const by = length * (idle + 1);
  const lap = now.lap + idle + 1;
  const planned = { from: plan.loop.from, to: plan.range.to };
  const next: Writing = {
    ...now,
    lap,
    frame: now.frame + by,
    startsAt: now.endsAt + by - length,
    endsAt: now.endsAt + by,
    kept: null,
    opened: false,
    ended: null,
    seam: { start: true, end: false },
    voices: now.voices
      .filter((v) => v.to === null)
      .map((v) => ({ ...v, header: lapHeader(baseOf(plan, v), lap, planned) })),
  };
  const over: Writing = {
    ...now,
    seam: { ...now.seam, end: true },
    ended: { at: now.endsAt, rings: now.endsAt, closesAt: now.endsAt + now.margin + LATEST, stopped: false },
  };
  return openWriting(replaceLast(state, over), next, keptSince(now.kept, next.startsAt - next.margin));
}

/** The header a voice's later laps are named after. */
function baseOf(plan: PassPlan, { header }: Voice): LayerHeader {
  const own = plan.layers.find((l) => l.partId === header.partId);
  return own ?? { ...header, id: header.id.replace(/\.\d+$/, ''), takeId: header.takeId.replace(/\.\d+$/, '') };
}

/** Closes what has ended and for which nothing late can come any more. */
export function closeEnded(state: PassState, at: Seconds): PassStep {
  if (!state.writing.some((w) => w.ended && at >= w.ended.closesAt)) return only(state);
  const all = withoutHardly(state.writing);
  const done = all.filter((w) => w.ended && at >= w.ended.closesAt);
  const writing = all.filter((w) => !done.includes(w));
  const effects = done.flatMap((w): PassEffect[] => {
    const layers = w.opened ? closeWriting(w) : [];
    const { passId, mode, frame } = w;
    return [
      ...layers.map((l): PassEffect => ({ type: 'closeLayer', layerId: l.header.id, closing: l.closing })),
      ...(w.opened ? [{ type: 'recorded', result: { passId, mode, frame, layers } } as const] : []),
      ...(writing.some((left) => left.passId === passId) || w !== done.findLast((d) => d.passId === passId)
        ? []
        : [{ type: 'finished', passId } as const]),
    ];
  });
  const idle = state.phase === 'stopping' && writing.length === 0;
  return { state: idle ? { ...IDLE, held: state.held } : { ...state, writing }, effects };
}
