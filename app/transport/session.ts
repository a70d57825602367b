import { defineStore } from 'pinia';
import { until } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { reachesEnd } from '~~/core/document/maps';
import type { Part, SoundInput } from '~~/core/document/part';
import { isNote, type KeyMessage } from '~~/core/performance/messages';
import { laneOf } from '~~/core/performance/controls';
import type { Action } from '~~/core/performance/learned';
import { admits, listenersOf } from '~~/core/recording/inputRoutes';
import { countOff } from '~~/core/recording/count';
import { type PassEffect, type PassInput } from '~~/core/recording/state';
import { barsFrom, hasPlace, loopFrom, playheadAfter, punchAt } from '~~/core/recording/transportPlaces';
import { layerHeaders, loopRange, planPass } from '~~/core/recording/plan';
import { barStart } from '~~/core/time/meter';
import { secondsAt } from '~~/core/time/tempo';
import type { Milliseconds, Seconds, Ticks } from '~~/core/time/units';
import { useBackings } from '~/backings/backings';
import { useSync } from '~/sync/sync';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLookBack } from '~/look-back/lookBack';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useLatency } from '~/sound/latency';
import { useSound } from '~/sound/sound';
import { useOtherWindow } from './otherWindow';
import { usePass } from './pass';
import { usePlace } from './place';
import { useRoll } from './roll';
import { useBenchKeyboard } from './useBenchKeyboard';
import { useLaps } from './useLaps';
import { usePlanning } from './usePlanning';
import { usePresets } from './presets';
import { startTimer } from './timer';
import { useMonitor } from './monitor';
import { useOpenLayers } from './openLayers';
import { useOutside } from './outside';
import { usePlayOut } from './playOut';

/** Interval at which the chart draws what is being recorded. */
const DRAW_EVERY: Milliseconds = 250;

/** Drives the pass: carries out its effects, and feeds it the clock and the keys. */
export const useSession = defineStore('session', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const sync = useSync();
  const keyboards = useKeyboards();
  const notices = useNotices();
  const sound = useSound();
  const backings = useBackings();
  const latency = useLatency();
  const monitor = useMonitor();
  const pass = usePass();
  const place = usePlace();
  const otherWindow = useOtherWindow();
  const roll = useRoll();
  const lookBack = useLookBack();
  const openLayers = useOpenLayers();
  const outside = useOutside();
  const playOut = usePlayOut();
  const planning = usePlanning();
  const presets = usePresets();
  const benchKeyboard = useBenchKeyboard();
  const laps = useLaps();

  /** True once a pass has been finished since the page was opened. */
  const passed = ref(false);

  let lastDrawn = 0;
  /** Pass that begins once the one before is stored, with its start; null where none waits. */
  let next: { readonly start: Ticks } | null = null;
  /** Start of the last pass, for going again. */
  let lastStart: Ticks | null = null;
  /** Rolling clock at which the last roll stopped. */
  let haltedAt: Seconds = -Infinity;

  /** Start of a pass without an in: the playhead, or the current bar while playing. */
  const startTick = computed((): Ticks =>
    pass.phase === 'playing' && !roll.playsOut && reading.maps
      ? barStart(reading.maps.meter, place.now!.bar)
      : roll.playhead,
  );

  const isIdle = (): boolean => pass.phase === 'idle';
  const clockNow = (): Seconds => roll.clockAt(performance.now());

  /** @param onCommand called with the action of a taught key or pedal */
  async function start(onCommand: (action: Action) => void): Promise<void> {
    const timer = startTimer(onTick);
    watch(
      () => pass.phase !== 'idle',
      (rolls) => timer.setRolling(rolls),
      { flush: 'sync' },
    );
    void sync.carry();
    void lookBack.load();
    void latency.load();
    await keyboards.start(timer.ticker, {
      sounded: (port, message) => monitor.hear(port, message),
      kept: onKey,
      learned: onCommand,
    });
  }

  // Sound follows the document. Changes of levels alone leave the schedule as it is.
  watch(
    [
      () => reading.lines,
      () => song.document?.click,
      () => song.document?.sections,
      () => backings.readings,
      () => roll.asPlayed,
      () => roll.timingView,
      () => roll.preview,
      () => reading.sounds,
      () => sound.soundsCame,
    ],
    () => roll.reschedule(),
  );
  watch(
    () => song.document?.backings,
    () => roll.moveBackings(),
  );
  /** Loop as text, so that equal loops compare equal. */
  const loopAsText = (): string => {
    const brief = song.document?.brief;
    return brief?.loop ? JSON.stringify(loopRange(brief, reading.maps?.end ?? 1)) : '';
  };
  /** Transpositions of the backings as text; constant while the song is in its written key. */
  function soundingKeys(): string {
    const { transposition } = reading;
    const own = song.document?.backings.filter((b) => b.keepsPitch).map((b) => b.id);
    return JSON.stringify(transposition.length > 0 ? [transposition, own] : []);
  }
  // A roll continues from its place with a new tempo, key, speed or loop.
  watch(
    [() => reading.maps, () => song.document?.speed, soundingKeys, () => song.document?.brief.loop, loopAsText],
    () => {
      if (pass.phase === 'playing') void goOn();
    },
  );
  const listenersAsText = (): string =>
    song.document ? JSON.stringify(listenersOf(song.document).map(({ part, route }) => [part.id, route])) : '';
  watch(listenersAsText, otherPartsListen);
  watch(
    () => sound.state,
    (now) => {
      if (now === 'waiting' && pass.phase === 'recording')
        notices.say('The browser paused the sound. What you play is still being kept; press Stop to end the pass.');
    },
  );

  /** Tells the recorder that other parts are armed. */
  function otherPartsListen(): void {
    const { plan } = pass;
    if (!pass.recording || !plan || !song.document) return;
    const facts = planning.facts(plan.range.from);
    dispatch({
      type: 'listen',
      at: clockNow(),
      layers: layerHeaders(facts, plan.passId, plan.range),
      routes: facts.listeners.map((l) => l.route),
    });
    roll.reschedule();
  }

  function dispatch(input: PassInput): void {
    for (const effect of pass.step(input)) carryOut(effect);
  }

  function carryOut(effect: PassEffect): void {
    switch (effect.type) {
      case 'roll':
        laps.begin();
        roll.start(effect.from, effect.music);
        place.follow(clockNow());
        outside.begin();
        outside.keepFor(pass.plan?.layers);
        playOut.begin();
        tellLookBack();
        benchKeyboard.perform(pass.plan);
        return;
      case 'begin':
        roll.begin(effect.by, secondsAt(openSong.maps.tempo, pass.plan!.music));
        outside.keepFor(pass.plan?.layers);
        tellLookBack();
        return;
      case 'halt':
        haltedAt = effect.at;
        roll.halt();
        outside.halt(reachesEnd(openSong.maps, effect.at));
        benchKeyboard.stop();
        roll.playhead = playheadAfter(pass.state, openSong.maps, effect.at);
        playOut.halted(effect.at);
        return;
      case 'openLayer':
        outside.keepFor([effect.header]);
        return openLayers.open(effect);
      case 'keep':
        return openLayers.keep(effect);
      case 'closeLayer':
        return openLayers.close(effect);
      case 'recorded':
        return openLayers.recorded(effect.result);
      case 'finished':
        return finish();
    }
  }

  function finish(): void {
    if (!pass.recording && !next) otherWindow.release();
    if (!pass.recording) openLayers.live = null;
    passed.value = true;
    if (!openLayers.finish()) notices.say('Nothing was played in that pass, so it made no take.', 'plain');
    if (next) void record(next.start);
  }

  function onTick(): void {
    const now = performance.now();
    sound.engine?.clock.read();
    keyboards.letGo(now);
    if (pass.phase === 'idle') return;
    playOut.send(now);
    const at = roll.clockAt(now);
    dispatch({ type: 'clock', at });
    laps.follow(at);
    place.follow(at);
    roll.extendSchedule();
    if (now - lastDrawn < DRAW_EVERY) return;
    lastDrawn = now;
    openLayers.draw(at);
  }

  /** Tells look-back about the roll, so that buffered notes have their place. */
  function tellLookBack(): void {
    const { tempo, speed } = openSong.document;
    const { transposition } = reading;
    lookBack.rolls({ tempo, loop: pass.loop, latency: latency.figures(roll.outputNow()), speed, transposition });
  }

  function onKey(port: string, message: KeyMessage, stamp: Milliseconds): void {
    const { document } = song;
    const { maps } = reading;
    const at = maps ? roll.clockAt(stamp) : 0;
    const placed = document && maps && hasPlace(pass, maps, document.brief.early, at, haltedAt);
    lookBack.hold(port, message, stamp, placed ? at : null);
    dispatch({ type: 'key', at, port, message });
    outside.hear(port, message, stamp);
    if (!document || isNote(message) || pass.phase !== 'playing' || roll.playsOut) return;
    for (const { part, route } of listenersOf(document)) {
      if (admits(route, port, message)) roll.setAside(part.id, laneOf(message));
    }
  }

  /** Gets the sound ready, and fixes the output latency for the next roll. */
  async function getReady(own?: SoundInput): Promise<boolean> {
    const made = await sound.ready();
    if (!made) return false;
    roll.fixOutput(made.clock.reportedLatency);
    await outside.getReady(own);
    return true;
  }

  /**
   * Plays bars of a part's line out to its instrument, and records them as the line's sound. Nothing else sounds
   * meanwhile.
   */
  async function soundAgain(part: Part, first: number, last: number): Promise<void> {
    if (pass.recording || !reading.maps) return;
    if (pass.rolling) stop();
    const obstacle = playOut.obstacle(part);
    if (obstacle) notices.say(obstacle);
    if (obstacle || !(await getReady(part.input!)) || !outside.recordingOf(part.input!) || !isIdle()) return;
    roll.playsOut = { part: part.id, first, last };
    const [from, endsAt] = [playOut.startOf(roll.playsOut), playOut.endOf(roll.playsOut)];
    dispatch({ type: 'play', from, endsAt, loop: null, count: null });
  }

  const stop = (): void => dispatch({ type: 'stop', at: clockNow() });

  function rollFrom(tick: Ticks, counts: boolean): void {
    const { tempo, meter, endSeconds } = openSong.maps;
    const { brief } = openSong.document;
    const { countOffBars, countOffBeats, countOnPlay } = brief;
    const count = counts && countOnPlay ? countOff(tempo, meter, tick, countOffBars, countOffBeats) : null;
    const loop = loopFrom(brief, openSong.maps, tick);
    dispatch({ type: 'play', from: secondsAt(tempo, tick), endsAt: endSeconds, loop, count });
  }

  async function play(): Promise<void> {
    if (pass.rolling) stop();
    else if (reading.maps && (await getReady())) rollFrom(roll.playhead, true);
  }

  /** Plays from the playhead without a count; does nothing while playing. */
  async function playFromHere(): Promise<void> {
    if (!pass.rolling && reading.maps && (await getReady())) rollFrom(roll.playhead, false);
  }

  /** Sentence about another window that records; empty where none does. */
  const elsewhere = (): string =>
    otherWindow.records === null
      ? ''
      : `Another window records ${otherWindow.records}, and hears the same keys. Stop it there; nothing was changed.`;

  /** Starts the pass of the brief; while playing, punches in at once; while recording, ends the pass. */
  async function record(from = startTick.value): Promise<void> {
    if (pass.recording) {
      endPass();
      return;
    }
    if (roll.playsOut) stop();
    const { phase } = pass;
    // The pass before is waiting for late notes: this one follows it.
    next = phase === 'stopping' ? { start: from } : null;
    if (next || !song.document || !reading.maps) return;
    const obstacle = planning.obstacle() || elsewhere();
    if (obstacle) {
      otherWindow.release();
      notices.say(obstacle);
      return;
    }
    const claimed = otherWindow.claim(song.document.title);
    if (phase === 'playing') {
      punch();
      return;
    }
    if (!(await claimed)) {
      notices.say(elsewhere());
      return;
    }
    if (!(await getReady())) {
      otherWindow.release();
      return;
    }
    lastStart = from;
    presets.use(song.document.brief);
    dispatch({ type: 'record', plan: planPass(planning.facts(from)) });
  }

  /** Ends the pass. After a punch-in the music plays on; otherwise the transport stops. */
  function endPass(): void {
    if (pass.plan?.punched && pass.phase === 'recording') dispatch({ type: 'punch out', at: clockNow() });
    else stop();
  }

  /** Punches in. A note struck with the press belongs to the pass: like a note, the press counts by its time stamp. */
  function punch(): void {
    const at = clockNow();
    const start = punchAt(pass.loop, openSong.maps, at);
    dispatch({ type: 'punch in', at, plan: planPass({ ...planning.facts(start), punched: true }) });
    roll.reschedule();
  }

  /** Stops, keeps the pass as it stands, and starts it over. */
  async function goAgain(): Promise<void> {
    const { plan } = pass;
    if (pass.recording) {
      next = { start: plan?.punched ? plan.range.from : (lastStart ?? roll.playhead) };
      stop();
      return;
    }
    if (pass.phase === 'playing') stop();
    if (lastStart === null) lastStart = roll.playhead;
    await record(lastStart);
  }

  /** Continues playback from its place with another tempo, speed or loop. */
  async function goOn(): Promise<void> {
    const at = roll.tickNow();
    const goesOn = !roll.playsOut;
    stop();
    roll.playhead = Math.max(0, at);
    if (goesOn && reading.maps && (await getReady())) rollFrom(roll.playhead, false);
  }

  /** Ends all hanging notes and pedals at once. The transport rolls on. */
  function panic(): void {
    keyboards.releaseEverything();
    monitor.forget();
    playOut.silence();
    sound.engine?.panic();
    roll.reschedule();
  }

  /** Place that a roll has reached, or where it ended; null for another roll. */
  const untilOf = (rollId: string): Seconds | null => {
    if (rollId !== lookBack.lastRoll()) return null;
    return pass.rolling ? clockNow() : haltedAt;
  };

  /** Moves the playhead; while rolling, playback continues from there. */
  function seek(tick: Ticks): void {
    const { maps } = reading;
    if (!maps || pass.recording) return;
    const to = Math.max(0, Math.min(maps.end - 1, tick));
    const playing = pass.phase === 'playing' && !roll.playsOut;
    if (pass.phase === 'playing') stop();
    roll.playhead = to;
    if (playing && isIdle()) rollFrom(to, false);
  }

  function seekBars(by: number): void {
    if (reading.maps) seek(barsFrom(reading.maps, roll.tickNow(), by));
  }

  /** Ends the roll and stores it before another song is opened. */
  async function leave(): Promise<void> {
    if (pass.rolling) stop();
    await until(() => pass.phase).toBe('idle');
    roll.playhead = 0;
    roll.aside = new Map();
    reading.shownId = null;
    roll.preview = null;
    lastStart = null;
    haltedAt = -Infinity;
  }

  return {
    startTick,
    lap: laps.lap,
    passed,
    start,
    play,
    playFromHere,
    record,
    goAgain,
    soundAgain,
    stop,
    untilOf,
    panic,
    seek,
    seekBars,
    leave,
  };
});
