import { isNote } from '../performance/messages';
import { laneOf } from '../performance/controls';
import { shiftOf } from '../placement/place';
import { secondsAt, tickAt } from '../time/tempo';
import type { Seconds } from '../time/units';
import {
  andThen,
  closeEnded,
  current,
  endLap,
  firstLap,
  valuesFrom,
  keeping,
  lapHeader,
  only,
  opening,
  openLap,
  replaceLast,
  tempoOf,
  turnLaps,
  turnsAt,
} from './laps';
import {
  IDLE,
  isRolling,
  lapAt,
  LATEST,
  type PassEffect,
  type PassInput,
  type PassPlan,
  type PassState,
  type PassStep,
} from './state';
import { heardSince, reaches, takesIn, type Heard, type HeardList, type ListeningPart, type Lap } from './lap';

/** Time for which keys are remembered while nothing records: the longest early allowance at the slowest tempo. */
const RECENT: Seconds = 4;

const controlKey = ({ port, message }: Heard): string => (isNote(message) ? '' : `${port} ${laneOf(message)}`);

function begin(before: PassState, plan: PassPlan): PassStep {
  const tempo = tempoOf(plan);
  const music = secondsAt(tempo, plan.music);
  const loop = plan.loop && { from: secondsAt(tempo, plan.loop.from), to: secondsAt(tempo, plan.range.to) };
  const lap = firstLap(plan, 0);
  // Keys that are down when the count begins are held in the layer from there.
  const ahead = Math.min(plan.count.from, lap.startsAt - lap.margin) - 0.001;
  const started: PassState = {
    ...IDLE,
    lastValues: valuesFrom(before, ahead),
    phase: plan.wait === 'no' ? 'counting' : 'waiting',
    plan,
    loop,
    endsAt: plan.songEnds,
  };
  const opened = openLap(started, lap, [], plan.wait !== 'no');
  return {
    state: opened.state,
    effects: [...opened.effects, { type: 'roll', from: plan.count.from, music, count: plan.count }],
  };
}

const seedOf = (all: readonly Heard[]): HeardList | null =>
  all.reduce<HeardList | null>((before, heard) => ({ heard, before }), null);

/** Halts; layers are closed once late messages have had their time. */
function halt(state: PassState, at: Seconds, stopped: boolean): PassStep {
  const ended = endLap(state, at, at, stopped);
  // Held notes that may ring end with the music.
  const laps = ended.laps.map((w) =>
    w.ended && w.ended.rings > at
      ? { ...w, ended: { ...w.ended, rings: Math.max(w.ended.at, at), closesAt: at + LATEST } }
      : w,
  );
  const still = laps.length > 0;
  return {
    state: still ? { ...ended, laps, phase: 'stopping' } : { ...IDLE, lastValues: state.lastValues },
    effects: [{ type: 'halt', at }],
  };
}

/** Ends the recording at its planned end. */
function reachEnd(state: PassState, plan: PassPlan, endsAt: Seconds): PassStep {
  const tempo = tempoOf(plan);
  const frame = current(state)?.frame ?? 0;
  const rings = secondsAt(tempo, plan.range.to + plan.leadOut) + frame;
  const ended = endLap(state, endsAt, rings, false);
  if (plan.punched && endsAt < state.endsAt) return only({ ...ended, phase: 'playing', plan: null });
  return plan.leadOut > 0 ? only({ ...ended, phase: 'lead-out', endsAt: rings }) : halt(state, endsAt, false);
}

function move(state: PassState, at: Seconds): PassStep {
  const { phase, plan } = state;
  switch (phase) {
    case 'idle':
    case 'waiting':
    case 'stopping':
      return only(state);
    case 'playing':
    case 'lead-out':
      return at < state.endsAt ? only(state) : halt(state, state.endsAt, false);
    case 'counting': {
      const music = secondsAt(tempoOf(plan!), plan!.music);
      if (at < music) return only(state);
      return move({ ...state, phase: plan!.music < plan!.range.from ? 'lead-in' : 'recording' }, at);
    }
    case 'lead-in':
      return at < state.laps.at(-1)!.startsAt ? only(state) : move({ ...state, phase: 'recording' }, at);
    case 'recording': {
      if (plan!.loop) return turnLaps(state, at);
      const now = current(state);
      return !now || at < now.endsAt ? only(state) : andThen(reachEnd(state, plan!, now.endsAt), (s) => move(s, at));
    }
  }
}

/** Readings of the clock may be past both the end and the wait for late notes. */
const onClock = (state: PassState, at: Seconds): PassStep => andThen(move(state, at), (s) => closeEnded(s, at));

function remember(state: PassState, heard: Heard): PassState {
  const { recent } = state;
  const turn = heard.at - recent.turned > RECENT || heard.at < recent.turned - RECENT;
  return {
    ...state,
    recent: turn
      ? { young: { heard, before: null }, old: recent.young, turned: heard.at }
      : { ...recent, young: { heard, before: recent.young } },
  };
}

/**
 * Feeds messages in order. Up to the end of a lap only messages change the state, so it is made once for all of them.
 */
function onKeys(before: PassState, all: readonly Heard[]): PassStep {
  const effects: PassEffect[] = [];
  let state = before;
  for (let done = 0; done < all.length;) {
    const heard = all[done]!;
    const turned = turnLaps(state, heard.at);
    for (const effect of turned.effects) effects.push(effect);
    if (turned.state.phase === 'waiting') {
      const step = whileWaiting({ ...turned.state, lastValues: knowing(turned.state, [heard]) }, heard);
      for (const effect of step.effects) effects.push(effect);
      state = step.state;
      done += 1;
    } else {
      const next = untilTurn(turned.state, all, done);
      const keys = all.slice(done, next);
      state = { ...withKeys(turned.state, keys, effects), lastValues: knowing(turned.state, keys) };
      done = next;
    }
  }
  return { state, effects };
}

/** Index of the first message sent after the lap's end. */
function untilTurn(state: PassState, all: readonly Heard[], from: number): number {
  const turn = turnsAt(state);
  let next = from + 1;
  while (next < all.length && all[next]!.at < turn) next += 1;
  return next;
}

function knowing({ lastValues }: PassState, keys: readonly Heard[]): PassState['lastValues'] {
  let values: Map<string, Heard> | undefined;
  for (const heard of keys) {
    const key = controlKey(heard);
    if (key) (values ??= new Map(lastValues)).set(key, heard);
  }
  return values ?? lastValues;
}

/** Feeds messages that were sent before a lap's turn. */
function withKeys(before: PassState, keys: readonly Heard[], effects: PassEffect[]): PassState {
  if (before.phase === 'idle') return before;
  const state = before.phase === 'playing' ? keys.reduce(remember, before) : before;
  if (state.laps.length === 0) return state;
  const laps = [...state.laps];
  const lists = laps.map((lap) => lap.recorded);
  for (const heard of keys) {
    for (const [i, lap] of laps.entries()) {
      // A lap that was just opened has the messages of the lap before that it reaches, but not this one.
      const keeps = reaches(lap, heard.at) ? keeping(lap, heard) : [];
      if (keeps.length === 0) continue;
      if (!lap.opened) {
        const opened = opening({ ...lap, recorded: lists[i]! });
        for (const effect of opened.effects) effects.push(effect);
        laps[i] = opened.lap;
      }
      for (const keep of keeps) effects.push(keep);
      lists[i] = { heard, before: lists[i]! };
    }
  }
  return { ...state, laps: laps.map((lap, i) => (lap.recorded === lists[i] ? lap : { ...lap, recorded: lists[i]! })) };
}

/** During a repeating count only a first note is waited for; other messages are placed when it comes. */
function whileWaiting(state: PassState, heard: Heard): PassStep {
  const plan = state.plan!;
  const now = state.laps[0]!;
  const voice = now.listening.find((v) => takesIn(v, heard));
  if (!voice) return only(state);
  const recorded: HeardList = { heard, before: now.recorded };
  if (heard.message.type !== 'noteOn') return only(replaceLast(state, { ...now, recorded }));
  const placed = heard.at + shiftOf(voice.header.placement, voice.header.latency) * (voice.header.speed ?? 1);
  const late = placed - now.startsAt;
  const by = plan.wait === 'start' ? late : Math.floor((late + plan.round.ahead) / plan.round.bar) * plan.round.bar;
  const moved = (h: Heard): Heard => ({ ...h, at: h.at - by });
  const begun: Lap = { ...now, recorded: seedOf(heardSince(recorded, -Infinity).map(moved)) };
  const effects: PassEffect[] = [{ type: 'begin', by }];
  for (const h of heardSince(begun.recorded, -Infinity)) effects.push(...keeping(begun, h));
  const lastValues = new Map([...state.lastValues].map(([key, h]) => [key, moved(h)]));
  return {
    state: { ...replaceLast(state, begun), lastValues, phase: heard.at - by < now.startsAt ? 'counting' : 'recording' },
    effects,
  };
}

function punchIn(state: PassState, at: Seconds, plan: PassPlan): PassStep {
  if (state.phase !== 'playing') return only(state);
  const frame = (state.loop ? state.loop.to - state.loop.from : 0) * lapAt(state.loop, at);
  const lap = firstLap(plan, frame);
  const sent = [...heardSince(state.recent.old, -Infinity), ...heardSince(state.recent.young, -Infinity)];
  return openLap({ ...state, phase: 'recording', plan }, lap, sent);
}

function punchOut(state: PassState, at: Seconds): PassStep {
  const { plan } = state;
  const now = current(state);
  if (state.phase !== 'recording' || !plan || !now) return only(state);
  const tempo = tempoOf(plan);
  const rings = plan.leadOut > 0 ? secondsAt(tempo, tickAt(tempo, at - now.frame) + plan.leadOut) + now.frame : at;
  return only({
    ...endLap(state, at, rings, true),
    phase: 'playing',
    plan: null,
    endsAt: state.loop ? Infinity : plan.songEnds,
  });
}

/** Changes the armed parts: those that stay go on, disarmed ones keep what they have, and new ones are opened. */
function listen(state: PassState, { at, layers, routes }: Extract<PassInput, { type: 'listen' }>): PassStep {
  const turned = turnLaps(state, at);
  const now = current(turned.state);
  const { plan, phase } = turned.state;
  if (!now || !plan) return turned;
  const goesOn = (v: ListeningPart): boolean =>
    v.to === null &&
    layers.some((l, i) => l.partId === v.header.partId && JSON.stringify(routes[i]) === JSON.stringify(v.route));
  // While a note is waited for, its place is not known and nothing was played: the new parts count as armed from the
  // start.
  const waits = phase === 'waiting';
  const since = waits ? -Infinity : at;
  const left = now.listening.map((v) => (v.to !== null || goesOn(v) ? v : { ...v, to: waits ? now.startsAt : at }));
  const whole = now.listening[0]?.header.planned ?? plan.range;
  const come = layers.flatMap((header, i): ListeningPart[] => {
    if (now.listening.some((v) => v.header.partId === header.partId && goesOn(v))) return [];
    // The moment is placed by the new part's placement, so that a note made with the change belongs to it as a whole.
    const placed = Math.floor(
      tickAt(tempoOf(plan), at + shiftOf(header.placement, header.latency) * (header.speed ?? 1) - now.frame) + 1e-6,
    );
    const from = waits ? whole.from : Math.max(whole.from, Math.min(placed, whole.to - 1));
    return [
      {
        header: lapHeader(header, now.lap, { from, to: whole.to }, now.frame),
        route: routes[i]!,
        from: since,
        to: null,
      },
    ];
  });
  const before = come.length ? opening(now) : { lap: now, effects: [] };
  const listening: Lap = { ...before.lap, listening: [...left, ...come] };
  const ahead = [...turned.state.lastValues.values()].filter((h) => h.at < at);
  // New parts get the controllers' values; while a note is waited for, these are recorded when it comes.
  const recorded = waits
    ? listening.recorded
    : ahead.reduce<HeardList | null>((before, h) => ({ heard: { ...h, at }, before }), listening.recorded);
  const effects = come.flatMap(({ header }): PassEffect[] => [{ type: 'openLayer', header, mode: now.mode }]);
  const keeps =
    come.length && !waits ? ahead.flatMap((h) => keeping({ ...listening, listening: come }, { ...h, at })) : [];
  return {
    state: replaceLast(turned.state, come.length ? { ...listening, recorded } : listening),
    effects: [...turned.effects, ...before.effects, ...effects, ...keeps],
  };
}

/**
 * State machine of the pass. Commands, clock and keys go in; effects on sound, screen and storage come out. Everything
 * from the count on is recorded in the layer, whose range says what counts. Input without a meaning in a phase, such as
 * Record while recording, changes nothing.
 */
export function pass(state: PassState, input: PassInput): PassStep {
  switch (input.type) {
    case 'play': {
      if (state.phase !== 'idle') return only(state);
      const { from, endsAt, count = null, loop = null } = input;
      const rolls: PassState = {
        ...state,
        lastValues: valuesFrom(state, (count?.from ?? from) - 0.001),
        phase: 'playing',
        plan: null,
        loop,
        endsAt: loop ? Infinity : endsAt,
      };
      return { state: rolls, effects: [{ type: 'roll', from: count?.from ?? from, music: from, count }] };
    }
    case 'record':
      // A pass that starts while playing begins with its count: its roll replaces the one before.
      return state.phase === 'idle' || (state.phase === 'playing' && state.laps.length === 0)
        ? begin(state, input.plan)
        : only(state);
    case 'punch in':
      return punchIn(state, input.at, input.plan);
    case 'punch out':
      return andThen(turnLaps(state, input.at), (s) => punchOut(s, input.at));
    case 'listen':
      return listen(state, input);
    case 'stop':
      if (!isRolling(state)) return only(state);
      return andThen(turnLaps(state, input.at), (s) => halt(s, input.at, true));
    case 'clock':
      return onClock(state, input.at);
    case 'key':
      return onKeys(state, [{ at: input.at, port: input.port, message: input.message }]);
    case 'keys':
      return onKeys(state, input.heard);
  }
}
