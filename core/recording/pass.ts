import { isNote } from '../performance/messages';
import { laneOf } from '../performance/controls';
import { shiftOf } from '../placement/place';
import type { LayerHeader } from '../takes/layer';
import { secondsAt, tempoMap, tickAt, type TempoMap } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { IDLE, isRolling, LATEST, lapAt, type PassEffect, type PassInput, type PassPlan, type PassState, type PassStep } from './state';
import { closeWriting, keptSince, reaches, takesIn, type Heard, type Kept, type Voice, type Writing } from './writing';

/** The least that is kept beyond the ends of a lap. */
const SEAM: Seconds = 0.5;
/** How long the keys are remembered while nothing records: the longest early allowance at the slowest tempo. */
const RECENT: Seconds = 4;

const only = (state: PassState): PassStep => ({ state, effects: [] });
function then(step: PassStep, next: (state: PassState) => PassStep): PassStep {
  const { state, effects } = next(step.state);
  return { state, effects: effects.length ? [...step.effects, ...effects] : step.effects };
}

const controlKey = ({ port, message }: Heard): string => (isNote(message) ? '' : `${port} ${laneOf(message)}`);

/** A layer of a later lap: its ids follow from the first one's, so that a log replays to the same layers. */
function lapHeader(header: LayerHeader, lap: number, planned: TickRange): LayerHeader {
  if (lap === 0) return { ...header, planned };
  const takeId = header.laps === 'fresh, then build up' ? header.takeId : `${header.takeId}.${lap}`;
  return { ...header, id: `${header.id}.${lap}`, takeId, lap, planned };
}

/**
 * Opens a writing and takes in what was sent shortly before it, and what its controllers hold.
 * @param quiet nothing of it is kept yet: where it lies is not known before the first note comes
 */
function openWriting(state: PassState, writing: Writing, since: readonly Heard[], quiet = false): PassStep {
  const first = writing.startsAt - writing.margin;
  const late = since.filter((h) => h.at >= first);
  // A part that came to listen in an earlier lap knows what the controllers held when it came.
  const came = writing.voices.map((v) => v.from).filter((from) => from > -Infinity && from < first);
  const held = [...state.held.values()];
  const holding = held.filter((h) => h.at < first).flatMap((h) => [h, ...came.filter((from) => from > h.at).map((at): Heard => ({ ...h, at }))]);
  // What was moved shortly before, while something else was recorded.
  const moved = held.filter((h) => h.at >= first && !late.includes(h));
  let kept: Kept | null = null;
  const effects: PassEffect[] = writing.voices.map(({ header }) => ({ type: 'openLayer', header, mode: writing.mode }));
  for (const heard of [...holding, ...[...moved, ...late].sort((x, y) => x.at - y.at)]) {
    kept = { heard, before: kept };
    if (!quiet) effects.push(...keeping(writing, heard));
  }
  return { state: { ...state, writing: [...state.writing, { ...writing, kept }] }, effects };
}

/** What the controllers hold, as set before a moment: what is about to roll has a clock of its own. */
const heldFrom = (state: PassState, at: Seconds): PassState['held'] => new Map([...state.held].map(([key, h]) => [key, { ...h, at }]));

function keeping({ voices, frame }: Writing, heard: Heard): PassEffect[] {
  const effects: PassEffect[] = [];
  for (const voice of voices) {
    if (takesIn(voice, heard)) effects.push({ type: 'keep', layerId: voice.header.id, event: { at: heard.at - frame, message: heard.message } });
  }
  return effects;
}

/** The first writing of a plan. */
function firstWriting(plan: PassPlan, frame: Seconds): Writing {
  const tempo = tempoOf(plan);
  const startsAt = secondsAt(tempo, plan.range.from) + frame;
  return {
    passId: plan.passId, mode: plan.mode, lap: 0, frame, startsAt, endsAt: secondsAt(tempo, plan.range.to) + frame, margin: marginOf(plan, tempo),
    voices: plan.layers.map((header, i) => ({ header, ear: plan.ears[i]!, from: -Infinity, to: null })),
    kept: null, ended: null, seam: { start: false, end: false },
  };
}

function tempoOf({ layers }: PassPlan) {
  const tempo = layers[0]?.tempo;
  if (!tempo) throw new RangeError('A pass needs a part that listens.');
  return tempoMap(tempo);
}

/** How much beyond its ends a lap takes in: more than the allowance, in the tempo before the loop and in the one at its end. */
function marginOf({ layers: [layer], range }: PassPlan, tempo: TempoMap): Seconds {
  const early = layer?.early ?? 0;
  const before = (tick: Ticks): Seconds => secondsAt(tempo, tick) - secondsAt(tempo, tick - early);
  return Math.max(SEAM, before(range.from) + 0.1, before(range.to) + 0.1);
}

function begin(before: PassState, plan: PassPlan): PassStep {
  const tempo = tempoOf(plan);
  const music = secondsAt(tempo, plan.music);
  const loop = plan.loop && { from: secondsAt(tempo, plan.loop.from), to: secondsAt(tempo, plan.range.to) };
  const writing = firstWriting(plan, 0);
  // What is held down as the count begins is held in the layer from there.
  const ahead = Math.min(plan.count.from, writing.startsAt - writing.margin) - 0.001;
  const started: PassState = { ...IDLE, held: heldFrom(before, ahead), phase: plan.wait === 'no' ? 'counting' : 'waiting', plan, loop, endsAt: plan.songEnds };
  const opened = openWriting(started, writing, [], plan.wait !== 'no');
  return { state: opened.state, effects: [...opened.effects, { type: 'roll', from: plan.count.from, music, count: plan.count }] };
}

const seedOf = (all: readonly Heard[]): Kept | null => all.reduce<Kept | null>((before, heard) => ({ heard, before }), null);

/** The writing that is being recorded into now. */
const current = ({ writing }: PassState): Writing | undefined => (writing.at(-1)?.ended ? undefined : writing.at(-1));

const replaceLast = (state: PassState, last: Writing): PassState => ({ ...state, writing: [...state.writing.slice(0, -1), last] });

/**
 * Ends what is recorded now.
 * @param stopped by the player, ahead of its planned end
 */
function endWriting(state: PassState, at: Seconds, rings: Seconds, stopped: boolean): PassState {
  const now = current(state);
  if (!now) return state;
  const started = at > now.startsAt;
  const before = state.writing.at(-2);
  const closesAt = Math.max(at, rings) + LATEST;
  const hardly = at < now.startsAt + now.margin && now.seam.start && before !== undefined && before.ended !== null && before.seam.end && before.passId === now.passId;
  const ended: Writing = { ...now, ended: { at, rings: started ? Math.max(at, rings) : at, closesAt, stopped, ...(hardly ? { hardly } : {}) } };
  if (!hardly) return replaceLast(state, ended);
  // Whether it was a lap is known when nothing late can come any more; the one before waits for that.
  const waits: Writing = { ...before, ended: { ...before.ended!, closesAt: Math.max(before.ended!.closesAt, closesAt) } };
  return { ...state, writing: [...state.writing.slice(0, -2), waits, ended] };
}

/** A lap that had hardly begun, and in which nothing was struck, was no lap: what was held across its seam belongs to the one before. */
function withoutHardly(writing: readonly Writing[]): readonly Writing[] {
  const last = writing.at(-1);
  const before = writing.at(-2);
  if (!last?.ended?.hardly || !before?.ended) return writing;
  if (keptSince(last.kept, last.startsAt).some((h) => h.message.type === 'noteOn' && h.at < last.ended!.at)) return writing;
  const whole: Writing = { ...before, seam: { ...before.seam, end: false }, ended: { ...before.ended, at: before.endsAt, rings: before.endsAt, stopped: true } };
  const none: Writing = { ...last, ended: { ...last.ended, at: last.startsAt, rings: last.startsAt } };
  return [...writing.slice(0, -2), whole, none];
}

/** Ends laps that are over, and begins the next ones. */
function turnLaps(state: PassState, at: Seconds): PassStep {
  let step = only(state);
  for (let turned = turnLap(step.state, at); turned; turned = turnLap(step.state, at)) {
    step = { state: turned.state, effects: [...step.effects, ...turned.effects] };
  }
  return step;
}

/** Ends the lap that is over, if one is, and begins the next one in which something can have been sent: idle laps leave nothing. */
function turnLap(state: PassState, at: Seconds): PassStep | undefined {
  const now = current(state);
  const { loop, plan } = state;
  if (!now || !loop || !plan?.loop || state.phase !== 'recording' || at < now.endsAt) return undefined;
  const length = loop.to - loop.from;
  // Told so late, the laps in between had nothing: what was sent in them would have come with them.
  const idle = Math.max(0, Math.floor((at - now.endsAt - now.margin) / length) - 1);
  const by = length * (idle + 1);
  const lap = now.lap + idle + 1;
  const planned = { from: plan.loop.from, to: plan.range.to };
  const next: Writing = {
    ...now, lap, frame: now.frame + by, startsAt: now.endsAt + by - length, endsAt: now.endsAt + by,
    kept: null, ended: null, seam: { start: true, end: false },
    voices: now.voices.filter((v) => v.to === null).map((v) => ({ ...v, header: lapHeader(baseOf(plan, v), lap, planned) })),
  };
  const over: Writing = { ...now, seam: { ...now.seam, end: true }, ended: { at: now.endsAt, rings: now.endsAt, closesAt: now.endsAt + now.margin + LATEST, stopped: false } };
  return openWriting(replaceLast(state, over), next, keptSince(now.kept, next.startsAt - next.margin));
}

/** The header a voice's later laps are named after. */
function baseOf(plan: PassPlan, { header }: Voice): LayerHeader {
  const own = plan.layers.find((l) => l.partId === header.partId);
  return own ?? { ...header, id: header.id.replace(/\.\d+$/, ''), takeId: header.takeId.replace(/\.\d+$/, '') };
}

/** Closes what has ended and for which nothing late can come any more. */
function closeEnded(state: PassState, at: Seconds): PassStep {
  if (!state.writing.some((w) => w.ended && at >= w.ended.closesAt)) return only(state);
  const all = withoutHardly(state.writing);
  const done = all.filter((w) => w.ended && at >= w.ended.closesAt);
  const writing = all.filter((w) => !done.includes(w));
  const effects = done.flatMap((w): PassEffect[] => {
    const layers = closeWriting(w);
    const { passId, mode, frame } = w;
    return [
      ...layers.map((l): PassEffect => ({ type: 'closeLayer', layerId: l.header.id, closing: l.closing })),
      { type: 'recorded', result: { passId, mode, frame, layers } },
      ...(writing.some((left) => left.passId === passId) || w !== done.findLast((d) => d.passId === passId) ? [] : [{ type: 'finished', passId } as const]),
    ];
  });
  const idle = state.phase === 'stopping' && writing.length === 0;
  return { state: idle ? { ...IDLE, held: state.held } : { ...state, writing }, effects };
}

/** Halts; what was recorded is closed once late strikes have had their time. */
function halt(state: PassState, at: Seconds, stopped: boolean): PassStep {
  const ended = endWriting(state, at, at, stopped);
  // Held notes that were let ring end with the music.
  const writing = ended.writing.map((w) => (w.ended && w.ended.rings > at ? { ...w, ended: { ...w.ended, rings: Math.max(w.ended.at, at), closesAt: at + LATEST } } : w));
  const still = writing.length > 0;
  return {
    state: still ? { ...ended, writing, phase: 'stopping' } : { ...IDLE, held: state.held },
    effects: [{ type: 'halt', at }],
  };
}

/** Recording has come to its end by itself. */
function reachEnd(state: PassState, plan: PassPlan, endsAt: Seconds): PassStep {
  const tempo = tempoOf(plan);
  const frame = current(state)?.frame ?? 0;
  const rings = secondsAt(tempo, plan.range.to + plan.leadOut) + frame;
  const ended = endWriting(state, endsAt, rings, false);
  if (plan.punched && endsAt < state.endsAt) return only({ ...ended, phase: 'playing', plan: null });
  return plan.leadOut > 0 ? only({ ...ended, phase: 'lead-out', endsAt: rings }) : halt(state, endsAt, false);
}

function move(state: PassState, at: Seconds): PassStep {
  const { phase, plan } = state;
  switch (phase) {
    case 'idle':
    case 'waiting':
    case 'stopping': return only(state);
    case 'playing':
    case 'lead-out': return at < state.endsAt ? only(state) : halt(state, state.endsAt, false);
    case 'counting': {
      const music = secondsAt(tempoOf(plan!), plan!.music);
      if (at < music) return only(state);
      return move({ ...state, phase: plan!.music < plan!.range.from ? 'lead-in' : 'recording' }, at);
    }
    case 'lead-in': return at < state.writing.at(-1)!.startsAt ? only(state) : move({ ...state, phase: 'recording' }, at);
    case 'recording': {
      if (plan!.loop) return turnLaps(state, at);
      const now = current(state);
      return !now || at < now.endsAt ? only(state) : then(reachEnd(state, plan!, now.endsAt), (s) => move(s, at));
    }
  }
}

/** The clock may be read late: it can be past the end and past the wait for late strikes in one reading. */
const onClock = (state: PassState, at: Seconds): PassStep => then(move(state, at), (s) => closeEnded(s, at));

function remember(state: PassState, heard: Heard): PassState {
  const { recent } = state;
  const turn = heard.at - recent.turned > RECENT || heard.at < recent.turned - RECENT;
  return {
    ...state,
    recent: turn ? { young: { heard, before: null }, old: recent.young, turned: heard.at } : { ...recent, young: { heard, before: recent.young } },
  };
}

function onKey(before: PassState, heard: Heard): PassStep {
  const key = controlKey(heard);
  const known = key ? { ...before, held: new Map(before.held).set(key, heard) } : before;
  if (before.phase === 'idle') return only(known);
  const turned = known.loop ? turnLaps(known, heard.at) : only(known);
  if (turned.state.phase === 'waiting') return whileWaiting(turned.state, heard);
  const remembered = turned.state.phase === 'playing' ? remember(turned.state, heard) : turned.state;
  if (remembered.writing.length === 0) return { state: remembered, effects: turned.effects };
  const effects = [...turned.effects];
  const turns = effects.length;
  const writing = remembered.writing.map((w) => {
    // A lap that was just opened has taken in what it reaches of the lap before, but not this.
    const keeps = reaches(w, heard.at) ? keeping(w, heard) : [];
    if (keeps.length === 0) return w;
    effects.push(...keeps);
    return { ...w, kept: { heard, before: w.kept } };
  });
  return { state: effects.length > turns ? { ...remembered, writing } : remembered, effects };
}

/** The same as one key after another. In a plain recording nothing but the keys changes meanwhile, so the state is made once. */
function onKeys(state: PassState, all: readonly Heard[]): PassStep {
  const [writing] = state.writing;
  if (state.phase !== 'recording' || state.loop || !writing || state.writing.length > 1) return all.reduce((step, heard) => then(step, (s) => onKey(s, heard)), only(state));
  const held = new Map(state.held);
  const effects: PassEffect[] = [];
  let { kept } = writing;
  for (const heard of all) {
    const key = controlKey(heard);
    if (key) held.set(key, heard);
    const keeps = reaches(writing, heard.at) ? keeping(writing, heard) : [];
    if (keeps.length === 0) continue;
    for (const keep of keeps) effects.push(keep);
    kept = { heard, before: kept };
  }
  return { state: { ...state, held, writing: [{ ...writing, kept }] }, effects };
}

/** While the count goes round only a first note is waited for; what else is sent is kept and placed when it comes. */
function whileWaiting(state: PassState, heard: Heard): PassStep {
  const plan = state.plan!;
  const now = state.writing[0]!;
  const voice = now.voices.find((v) => takesIn(v, heard));
  if (!voice) return only(state);
  const kept: Kept = { heard, before: now.kept };
  if (heard.message.type !== 'noteOn') return only(replaceLast(state, { ...now, kept }));
  const placed = heard.at + shiftOf(voice.header.placement, voice.header.latency) * (voice.header.speed ?? 1);
  const late = placed - now.startsAt;
  const by = plan.wait === 'start' ? late : Math.floor((late + plan.round.ahead) / plan.round.bar) * plan.round.bar;
  const moved = (h: Heard): Heard => ({ ...h, at: h.at - by });
  const begun: Writing = { ...now, kept: seedOf(keptSince(kept, -Infinity).map(moved)) };
  const effects: PassEffect[] = [{ type: 'begin', by }];
  for (const h of keptSince(begun.kept, -Infinity)) effects.push(...keeping(begun, h));
  const held = new Map([...state.held].map(([key, h]) => [key, moved(h)]));
  return { state: { ...replaceLast(state, begun), held, phase: heard.at - by < now.startsAt ? 'counting' : 'recording' }, effects };
}

function punchIn(state: PassState, at: Seconds, plan: PassPlan): PassStep {
  if (state.phase !== 'playing') return only(state);
  const frame = (state.loop ? state.loop.to - state.loop.from : 0) * lapAt(state.loop, at);
  const writing = firstWriting(plan, frame);
  const sent = [...keptSince(state.recent.old, -Infinity), ...keptSince(state.recent.young, -Infinity)];
  return openWriting({ ...state, phase: 'recording', plan }, writing, sent);
}

function punchOut(state: PassState, at: Seconds): PassStep {
  const { plan } = state;
  const now = current(state);
  if (state.phase !== 'recording' || !plan || !now) return only(state);
  const tempo = tempoOf(plan);
  const rings = plan.leadOut > 0 ? secondsAt(tempo, tickAt(tempo, at - now.frame) + plan.leadOut) + now.frame : at;
  return only({ ...endWriting(state, at, rings, true), phase: 'playing', plan: null, endsAt: state.loop ? Infinity : plan.songEnds });
}

/** Parts that stop listening keep what they have; parts that begin to are opened from here. */
function listen(state: PassState, { at, layers, ears }: Extract<PassInput, { type: 'listen' }>): PassStep {
  const turned = turnLaps(state, at);
  const now = current(turned.state);
  const { plan, phase } = turned.state;
  if (!now || !plan) return turned;
  const goesOn = (v: Voice): boolean => v.to === null && layers.some((l, i) => l.partId === v.header.partId && JSON.stringify(ears[i]) === JSON.stringify(v.ear));
  // Nothing was struck while a note is waited for, and where that will be is not known: it is as if they had listened all along.
  const waits = phase === 'waiting';
  const since = waits ? -Infinity : at;
  const left = now.voices.map((v) => (v.to !== null || goesOn(v) ? v : { ...v, to: waits ? now.startsAt : at }));
  const whole = now.voices[0]?.header.planned ?? plan.range;
  const come = layers.flatMap((header, i): Voice[] => {
    if (now.voices.some((v) => v.header.partId === header.partId && goesOn(v))) return [];
    // From where its own placement puts the moment: the strike that is made with the change is the new part's, and none of it is cut.
    const placed = Math.floor(tickAt(tempoOf(plan), at + shiftOf(header.placement, header.latency) * (header.speed ?? 1) - now.frame) + 1e-6);
    const from = waits ? whole.from : Math.max(whole.from, Math.min(placed, whole.to - 1));
    return [{ header: lapHeader(header, now.lap, { from, to: whole.to }), ear: ears[i]!, from: since, to: null }];
  });
  const listening: Writing = { ...now, voices: [...left, ...come] };
  const ahead = [...turned.state.held.values()].filter((h) => h.at < at);
  // What the controllers hold is known to the new parts as well; while a note is waited for, it is kept when that comes.
  const kept = waits ? listening.kept : ahead.reduce<Kept | null>((before, h) => ({ heard: { ...h, at }, before }), listening.kept);
  const effects = come.flatMap(({ header }): PassEffect[] => [{ type: 'openLayer', header, mode: now.mode }]);
  const keeps = come.length && !waits ? ahead.flatMap((h) => keeping({ ...listening, voices: come }, { ...h, at })) : [];
  return {
    state: replaceLast(turned.state, come.length ? { ...listening, kept } : listening),
    effects: [...turned.effects, ...effects, ...keeps],
  };
}

/**
 * The pass as a state machine. Commands, clock and keys go in; what the sound, the screen and the storage
 * must do comes out. Everything that arrives from the count on is kept in the layer; its range says what counts.
 * Input that makes no sense in a phase (Record while recording, say) changes nothing.
 */
export function pass(state: PassState, input: PassInput): PassStep {
  switch (input.type) {
    case 'play': {
      if (state.phase !== 'idle') return only(state);
      const { from, endsAt, count = null, loop = null } = input;
      const rolls: PassState = { ...state, held: heldFrom(state, (count?.from ?? from) - 0.001), phase: 'playing', plan: null, loop, endsAt: loop ? Infinity : endsAt };
      return { state: rolls, effects: [{ type: 'roll', from: count?.from ?? from, music: from, count }] };
    }
    case 'record':
      // Recording out of playing starts over with the count: the roll takes the place of the one before.
      return state.phase === 'idle' || (state.phase === 'playing' && state.writing.length === 0) ? begin(state, input.plan) : only(state);
    case 'punch in': return punchIn(state, input.at, input.plan);
    case 'punch out': return then(turnLaps(state, input.at), (s) => punchOut(s, input.at));
    case 'listen': return listen(state, input);
    case 'stop':
      if (!isRolling(state)) return only(state);
      return then(turnLaps(state, input.at), (s) => halt(s, input.at, true));
    case 'clock': return onClock(state, input.at);
    case 'key': return onKey(state, { at: input.at, port: input.port, message: input.message });
    case 'keys': return onKeys(state, input.heard);
  }
}

