import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import TickerWorker from '~~/engine/clock/ticker.worker.ts?worker';
import { songTime, type Anchor } from '~~/engine/transport/anchor';
import { programOf } from '~~/engine/transport/program';
import type { Ticker } from '~~/engine/keyboards/bench';
import { SUSTAIN, type KeyMessage } from '~~/core/performance/messages';
import type { Note } from '~~/core/performance/notes';
import { IDLE, isRolling, pass, type PassEffect, type PassInput, type PassPlan, type PassState } from '~~/core/recording/pass';
import { planPass } from '~~/core/recording/plan';
import { readLayer, type LayerEvent, type LayerHeader } from '~~/core/takes/layer';
import { channelOf } from '~~/core/handover/midi';
import { barAt, barStart } from '~~/core/time/meter';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import { inRange, type Milliseconds, type Seconds, type Ticks } from '~~/core/time/units';
import type { Part } from '~~/core/song/document';
import type { TreatedReading } from '~~/core/timing/treatment';
import { benchPart } from '~/utils/benchPart';
import { useKeyboards } from './keyboards';
import { useNotices } from './notices';
import { useSong } from './song';
import { useSound } from './sound';

const FLUSH_EVERY: Milliseconds = 250;
/** How far ahead a schedule that is changed while rolling begins. */
const CHANGE_AHEAD: Seconds = 0.05;

/** Carries out what the pass says, and tells it what the clock and the keys say. */
export const useSession = defineStore('session', () => {
  const song = useSong();
  const keyboards = useKeyboards();
  const notices = useNotices();
  const sound = useSound();

  const state = shallowRef<PassState>(IDLE);
  const playhead = ref<Ticks>(0);
  /** What the pass under way has recorded so far, for the chart. */
  const live = shallowRef<{ part: string; notes: readonly Note[] } | null>(null);
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

  // What is heard follows what is written, and stays as it is while only levels change.
  watch([() => song.lines, () => song.document?.click.on, asPlayed, preview], () => reschedule());
  watch(() => sound.state, (now) => {
    if (now === 'waiting' && state.value.phase === 'recording') {
      notices.say('The browser paused the sound. What you play is still being kept; press Stop to end the pass.');
    }
  });

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
    const made = sound.engine;
    if (!made || !anchor || !rolling.value || !song.document) return;
    const s = state.value;
    const now = songTime(anchor, made.context.currentTime) + CHANGE_AHEAD;
    const count = s.phase === 'counting' ? { ...s.plan.count, beats: s.plan.count.beats.filter((b) => b.at >= now) } : null;
    made.schedule(schedule(anchor, s.phase === 'counting' ? Math.max(now, s.startsAt) : now, count));
  }

  /** Where the song is on the render clock, for the pass. */
  const clockAt = (stamp: Milliseconds): Seconds =>
    (anchor && sound.engine ? songTime(anchor, sound.engine.arrival(stamp, output)) : secondsAt(song.maps!.tempo, playhead.value));

  /** Where the song is as heard, for the eye. */
  function tickNow(): Ticks {
    const made = sound.engine;
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
        const made = sound.engine!;
        anchor = made.anchorAt(effect.from);
        made.roll(anchor, effect.music, schedule(anchor, effect.music, effect.count));
        performBench();
        return;
      }
      case 'halt':
        sound.engine?.halt();
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
    sound.engine?.clock.read();
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

  /** The channel on which each key that is down sounds: its release goes there, whichever part hears the keys by then. */
  const sounding = new Map<string, number>();

  function hearKey(port: string, message: KeyMessage): void {
    const brief = song.document?.brief;
    const index = partIndex(brief?.part ?? null);
    const heard = index >= 0 && (brief!.keyboard === null || brief!.keyboard === port);
    let channel = heard ? channelOf(index) : undefined;
    if (message.type === 'noteOn' || message.type === 'noteOff') {
      const key = `${port} ${message.key}`;
      if (message.type === 'noteOff') channel = sounding.get(key) ?? channel;
      if (message.type === 'noteOff') sounding.delete(key);
      else if (channel !== undefined) sounding.set(key, channel);
    }
    if (channel !== undefined) sound.engine?.play(channel, message);
  }

  // A pedal that is down does not hold the sound of a part that no longer hears it.
  watch(() => song.document?.brief.part, (_, before) => {
    const index = partIndex(before ?? null);
    if (index >= 0) sound.engine?.play(channelOf(index), { type: 'control', controller: SUSTAIN, value: 0 });
  });

  function onKey(port: string, message: KeyMessage, stamp: Milliseconds): void {
    hearKey(port, message);
    if (state.value.phase !== 'idle') dispatch({ type: 'key', at: clockAt(stamp), port, message });
  }

  /** Lets the Bench keyboard play what is written, lined up with what it hears. */
  function performBench(): void {
    const { bench } = keyboards;
    const plan = planOf(state.value);
    const part = song.document?.parts.find((p) => p.id === plan?.layers[0]?.partId);
    const made = sound.engine;
    if (!bench || !plan || !part || !anchor || !made || !keyboards.active.includes(bench)) return;
    bench.perform(benchPart(song.document!, song.maps!, part, plan, anchor, output, keyboards.looseness), (heard) => made.clock.pageTimeOf(heard));
  }

  /** Readies the sound, and fixes the latency of the way out for what is about to roll. */
  async function getReady(): Promise<boolean> {
    const made = await sound.ready();
    if (made) output = made.clock.reportedLatency;
    return made !== null;
  }

  async function play(): Promise<void> {
    if (rolling.value) {
      dispatch({ type: 'stop', at: clockAt(performance.now()) });
      return;
    }
    if (!song.maps || !await getReady()) return;
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
    const start = startTick.value;
    if (!await getReady()) return;
    const from = keyboards.active.filter((k) => brief.keyboard === null || k.id === brief.keyboard).map((k) => k.name).join(', ');
    dispatch({
      type: 'record',
      plan: planPass({
        song: song.document, maps: song.maps, part, start, from, latency: { output, input: 0 },
        newId: () => crypto.randomUUID(), at: new Date().toISOString(),
      }),
    });
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

  /** Ends what rolls and lets it be kept: another song is about to be opened. */
  async function leave(): Promise<void> {
    if (rolling.value) dispatch({ type: 'stop', at: clockAt(performance.now()) });
    if (state.value.phase !== 'idle') await new Promise<void>((idle) => { const stop = watch(state, ({ phase }) => { if (phase === 'idle') { stop(); idle(); } }); });
    playhead.value = 0;
    shownId.value = null;
    preview.value = null;
  }

  return {
    state, rolling, playhead, startTick, live, shown, shownId, asPlayed, preview,
    start, play, record, seek, seekBars, leave, tickNow,
  };
});
