import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import TickerWorker from '~~/engine/clock/ticker.worker.ts?worker';
import type { Ticker } from '~~/engine/keyboards/bench';
import { isNote, type KeyMessage } from '~~/core/performance/messages';
import { laneOf } from '~~/core/performance/controls';
import type { Action } from '~~/core/performance/taught';
import { hears, listenersOf } from '~~/core/recording/ears';
import { countOff } from '~~/core/recording/count';
import { pass } from '~~/core/recording/pass';
import {
  IDLE,
  inPass,
  isRolling,
  lapAt,
  type PassEffect,
  type PassInput,
  type PassState,
} from '~~/core/recording/state';
import { layerHeaders, loopRange, planPass } from '~~/core/recording/plan';
import { barAt, barStart } from '~~/core/time/meter';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { Milliseconds, Seconds, Ticks } from '~~/core/time/units';
import type { Part } from '~~/core/document/part';
import { useBench } from './useBench';
import { useLaps } from './useLaps';
import { usePlanning } from './usePlanning';
import { useBackings } from '~/backings/backings';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLatency } from '~/sound/latency';
import { useLookBack } from '~/look-back/lookback';
import { useNotices } from '~/notices/notices';
import { useRoll } from './roll';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useVoices } from './voices';
import { useWriting } from './writing';

/** How often the chart draws what is being recorded. */
const DRAW_EVERY: Milliseconds = 250;

/** Carries out what the pass says, and tells it what the clock and the keys say. */
export const useSession = defineStore('session', () => {
  const song = useSong();
  const keyboards = useKeyboards();
  const notices = useNotices();
  const sound = useSound();
  const backings = useBackings();
  const latency = useLatency();
  const voices = useVoices();
  const roll = useRoll();
  const lookBack = useLookBack();
  const writing = useWriting();
  const planning = usePlanning();
  const bench = useBench();
  const laps = useLaps();

  const state = shallowRef<PassState>(IDLE);
  /** The part on the chart and in Tidy. */
  const shownId = ref<string | null>(null);
  /** A pass has been finished in this visit. */
  const passed = ref(false);

  let lastDrawn = 0;
  /** A pass that begins as soon as the one before is put away: from where, or null. */
  let next: { readonly start: Ticks } | null = null;
  /** Where the last pass was started, to go again. */
  let lastStart: Ticks | null = null;
  /** Where the rolling clock was when what rolled last was stopped. */
  let haltedAt: Seconds = -Infinity;
  const tickers = new Set<() => void>();

  // The state is another with every key; what the screens show of it changes seldom, and they follow these.
  const phase = computed(() => state.value.phase);
  const plan = computed(() => state.value.plan);
  const loop = computed(() => state.value.loop);
  const rolling = computed(() => isRolling(state.value));
  const recording = computed(() => inPass(state.value));
  const shown = computed((): Part | undefined => {
    const parts = song.document?.parts ?? [];
    return (
      parts.find((p) => p.id === shownId.value) ?? parts.find((p) => p.id === song.document?.brief.part) ?? parts[0]
    );
  });

  /** Where a pass with no in would begin: at the playhead, or while playing at the bar that plays. */
  const playingBar = ref(1);
  const startTick = computed((): Ticks =>
    phase.value === 'playing' && song.maps ? barStart(song.maps.meter, playingBar.value) : roll.playhead,
  );

  const ticker: Ticker = (callback) => {
    tickers.add(callback);
    return () => tickers.delete(callback);
  };

  /** @param onTaught told what a taught key or pedal asks for */
  async function start(onTaught: (action: Action) => void): Promise<void> {
    const worker = new TickerWorker();
    worker.onmessage = () => {
      tickers.forEach((tick) => tick());
      onTick();
    };
    void song.carry();
    void lookBack.load();
    void latency.load();
    await keyboards.start(ticker, {
      sounded: (port, message) => voices.hear(port, message),
      kept: onKey,
      taught: onTaught,
    });
    // For measuring from outside: the stand-in keyboard can be made late, what is sent out can be listened to, and
    // where it rolls be asked.
    Object.assign(window, {
      tallKettle: {
        bench: keyboards.bench,
        engine: () => sound.engine,
        anchor: roll.anchorNow,
        lookBack: { hold: lookBack.hold },
      },
    });
  }

  // What is heard follows what is written, and stays as it is while only levels change.
  watch(
    [
      () => song.lines,
      () => song.document?.click,
      () => song.document?.sections,
      () => backings.lines,
      () => roll.asPlayed,
      () => roll.preview,
    ],
    () => roll.reschedule(),
  );
  watch(
    () => song.document?.backings,
    () => roll.moveBackings(),
  );
  // What rolls goes on in the new tempo, at the new speed, or round the new loop, from where it is.
  watch(
    [
      () => song.maps,
      () => song.document?.speed,
      () => song.document?.brief.loop,
      () => (song.document?.brief.loop ? JSON.stringify(loopRange(song.document.brief, song.maps?.end ?? 1)) : ''),
    ],
    () => {
      if (state.value.phase === 'playing') void goOn();
    },
  );
  // Other parts hear the keys from here on.
  watch(
    () => (song.document ? JSON.stringify(listenersOf(song.document).map(({ part, ear }) => [part.id, ear])) : ''),
    () => {
      const { plan } = state.value;
      if (!inPass(state.value) || !plan || !song.document) return;
      const facts = planning.facts(plan.range.from);
      dispatch({
        type: 'listen',
        at: roll.clockAt(performance.now()),
        layers: layerHeaders(facts, plan.passId, plan.range),
        ears: facts.listeners.map((l) => l.ear),
      });
      roll.reschedule();
    },
  );
  watch(
    () => sound.state,
    (now) => {
      if (now === 'waiting' && state.value.phase === 'recording') {
        notices.say('The browser paused the sound. What you play is still being kept; press Stop to end the pass.');
      }
    },
  );

  function dispatch(input: PassInput): void {
    const step = pass(state.value, input);
    state.value = step.state;
    roll.follow(step.state);
    step.effects.forEach(carryOut);
  }

  function carryOut(effect: PassEffect): void {
    switch (effect.type) {
      case 'roll':
        laps.begin();
        roll.start(effect.from, effect.music);
        heldRoll();
        bench.perform(state.value.plan);
        return;
      case 'begin':
        roll.begin(effect.by, secondsAt(song.maps!.tempo, state.value.plan!.music));
        heldRoll();
        return;
      case 'halt':
        haltedAt = effect.at;
        roll.halt();
        bench.stop();
        roll.playhead = Math.max(0, haltTick(effect.at));
        return;
      case 'openLayer':
        return writing.open(effect);
      case 'keep':
        return writing.keep(effect);
      case 'closeLayer':
        return writing.close(effect);
      case 'recorded':
        return writing.recorded(effect.result);
      case 'finished':
        if (!inPass(state.value)) writing.live = null;
        passed.value = true;
        if (!writing.finish()) notices.say('Nothing was played in that pass, so it made no take.', 'plain');
        if (next) void record(next.start);
    }
  }

  /** After a pass the playhead goes back to where it began, ready to listen or to go again. */
  function haltTick(at: Seconds): Ticks {
    const maps = song.maps!;
    const { plan } = state.value;
    if (plan && !plan.punched) return plan.range.from;
    if (state.value.loop) return tickAt(maps.tempo, state.value.loop.from);
    const tick = tickAt(maps.tempo, at);
    return tick >= maps.end - 1 ? 0 : tick;
  }

  function onTick(): void {
    const now = performance.now();
    sound.engine?.clock.read();
    keyboards.letGo(now);
    if (state.value.phase === 'idle') return;
    const at = roll.clockAt(now);
    dispatch({ type: 'clock', at });
    laps.follow(state.value, at);
    roll.layOut();
    if (song.maps) playingBar.value = Math.max(1, barAt(song.maps.meter, roll.tickNow()));
    if (now - lastDrawn < DRAW_EVERY) return;
    lastDrawn = now;
    writing.draw(state.value, shown.value?.id, at);
  }

  /** Look-back is told what rolls, to know later where a strike was. */
  function heldRoll(): void {
    lookBack.rolls({
      tempo: song.document!.tempo,
      loop: state.value.loop,
      latency: latency.figures(roll.outputNow()),
      speed: song.document!.speed,
    });
  }

  function onKey(port: string, message: KeyMessage, stamp: Milliseconds): void {
    const at = song.maps ? roll.clockAt(stamp) : 0;
    // While a note is waited for, and in a count before bar 1, there is no place in the song yet; just ahead of it
    // means it.
    // A strike that was made before the stop and arrives after it has its place; one that was made after it has none.
    const soonest = song.maps ? -secondsAt(song.maps.tempo, song.document!.brief.early) : 0;
    const placed = state.value.phase !== 'waiting' && at >= soonest && (rolling.value || at <= haltedAt);
    lookBack.hold(port, message, stamp, placed ? at : null);
    dispatch({ type: 'key', at, port, message });
    if (!song.document || isNote(message) || state.value.phase !== 'playing') return;
    for (const { part, ear } of listenersOf(song.document))
      if (hears(ear, port, message)) roll.setAside(part.id, laneOf(message));
  }

  /** Readies the sound, and fixes the latency of the way out for what is about to roll. */
  async function getReady(): Promise<boolean> {
    const made = await sound.ready();
    if (made) roll.fixOutput(made.clock.reportedLatency);
    return made !== null;
  }

  const stop = (): void => dispatch({ type: 'stop', at: roll.clockAt(performance.now()) });

  /** What playing goes round, from a place: the loop, where it is on and does not lie behind. */
  function loopFrom(tick: Ticks) {
    const { tempo, end } = song.maps!;
    const { brief } = song.document!;
    const range = loopRange(brief, end);
    return brief.loop && tick < range.to
      ? { from: secondsAt(tempo, range.from), to: secondsAt(tempo, range.to) }
      : null;
  }

  function rollFrom(tick: Ticks, counts: boolean): void {
    const { tempo, meter, endSeconds } = song.maps!;
    const { countOffBars, countOffBeats, countOnPlay } = song.document!.brief;
    const count = counts && countOnPlay ? countOff(tempo, meter, tick, countOffBars, countOffBeats) : null;
    dispatch({ type: 'play', from: secondsAt(tempo, tick), endsAt: endSeconds, loop: loopFrom(tick), count });
  }

  async function play(): Promise<void> {
    if (rolling.value) stop();
    else if (song.maps && (await getReady())) rollFrom(roll.playhead, true);
  }

  /** Starts the pass that the brief describes; while playing, punches in at once; while recording, ends it. */
  async function record(from = startTick.value): Promise<void> {
    const { phase, plan } = state.value;
    if (inPass(state.value)) {
      if (plan?.punched && phase === 'recording') dispatch({ type: 'punch out', at: roll.clockAt(performance.now()) });
      else stop();
      return;
    }
    // The pass before is still waiting for late strikes: this one follows it.
    next = phase === 'stopping' ? { start: from } : null;
    if (next || !song.document || !song.maps) return;
    const obstacle = planning.obstacle();
    if (obstacle) {
      notices.say(obstacle);
      return;
    }
    if (phase === 'playing') {
      punch();
      return;
    }
    if (!(await getReady())) return;
    lastStart = from;
    dispatch({ type: 'record', plan: planPass(planning.facts(from)) });
  }

  /** The note that is struck with the press is in: the press counts as a strike does, by when it was made. */
  function punch(): void {
    const at = roll.clockAt(performance.now());
    const { tempo } = song.maps!;
    const { loop } = state.value;
    const round = loop ? (loop.to - loop.from) * lapAt(loop, at) : 0;
    const tick = Math.max(0, tickAt(tempo, at - round));
    dispatch({ type: 'punch in', at, plan: planPass({ ...planning.facts(tick), punched: true }) });
    roll.reschedule();
  }

  /** Stops, keeps what was played as it stands, and starts the same pass over. */
  async function goAgain(): Promise<void> {
    const { plan } = state.value;
    if (inPass(state.value)) {
      next = { start: plan?.punched ? plan.range.from : (lastStart ?? roll.playhead) };
      stop();
      return;
    }
    if (state.value.phase === 'playing') stop();
    if (lastStart === null) lastStart = roll.playhead;
    await record(lastStart);
  }

  /** Playback goes on from where it is, in another tempo, at another speed, or round another loop. */
  async function goOn(): Promise<void> {
    const at = roll.tickNow();
    stop();
    roll.playhead = Math.max(0, at);
    if (song.maps && (await getReady())) rollFrom(roll.playhead, false);
  }

  /** Silences everything at once: notes that hang, pedals that are down. What rolls rolls on. */
  function panic(): void {
    keyboards.releaseEverything();
    voices.forget();
    sound.engine?.panic();
    roll.reschedule();
  }

  /** Where a roll is by now, or where it ended. */
  const untilOf = (rollId: string): Seconds | null => {
    if (rollId !== lookBack.lastRoll()) return null;
    return rolling.value ? roll.clockAt(performance.now()) : haltedAt;
  };

  /** Moves the playhead; while rolling, playback goes on from there. */
  function seek(tick: Ticks): void {
    const maps = song.maps;
    if (!maps || inPass(state.value)) return;
    const to = Math.max(0, Math.min(maps.end - 1, tick));
    const playing = state.value.phase === 'playing';
    if (playing) stop();
    roll.playhead = to;
    if (playing && state.value.phase === 'idle') rollFrom(to, false);
  }

  function seekBars(by: number): void {
    const maps = song.maps;
    if (!maps) return;
    const bar = barAt(maps.meter, roll.tickNow() + (by < 0 ? -1 : 0));
    seek(barStart(maps.meter, by < 0 ? bar : bar + by));
  }

  /** Ends what rolls and lets it be kept: another song is about to be opened. */
  async function leave(): Promise<void> {
    if (rolling.value) stop();
    if (state.value.phase !== 'idle')
      await new Promise<void>((idle) => {
        const end = watch(state, ({ phase }) => {
          if (phase === 'idle') {
            end();
            idle();
          }
        });
      });
    roll.playhead = 0;
    roll.aside = new Map();
    shownId.value = null;
    roll.preview = null;
    lastStart = null;
    haltedAt = -Infinity;
  }

  return {
    state,
    phase,
    plan,
    loop,
    rolling,
    recording,
    startTick,
    lap: laps.lap,
    shown,
    shownId,
    passed,
    start,
    play,
    record,
    goAgain,
    stop,
    untilOf,
    panic,
    seek,
    seekBars,
    leave,
  };
});
