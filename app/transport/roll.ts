import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { songTime, type Anchor } from '~~/engine/transport/anchor';
import { rhythmOf, type PartOnChannel } from '~~/engine/transport/program';
import type { Rolls, TrackPiece } from '~~/engine/tracks';
import { rollingProgram } from '~~/engine/transport/rolling';
import { spansOf } from '~~/engine/transport/spans';
import { channelOf, trackChannelOf } from '~~/core/vocabulary/sounds';
import { laneOf, type Lane } from '~~/core/performance/controls';
import { inPass, songAt } from '~~/core/recording/state';
import { silentUnderPass } from '~~/core/recording/hearingWhileRecording';
import { layerOfNote } from '~~/core/performance/notes';
import { EDGE, soundWithout, type HeardSound } from '~~/core/reading/sound';
import type { Part } from '~~/core/document/part';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { Milliseconds, Seconds, Ticks } from '~~/core/time/units';
import { partWay, type TreatedReading } from '~~/core/timing/treatment';
import { useBackings } from '~/backings/backings';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRecordings } from '~/song/recordings';
import { useSong } from '~/song/song';
import { RHYTHM_CHANNEL, useSound } from '~/sound/sound';
import { usePass } from './pass';

/** Lead with which a changed schedule begins while rolling, so that a change is heard within 50 ms. */
const CHANGE_AHEAD: Seconds = 0.03;
/** Length of a loop, or of a repeating count, that is scheduled at once. It must outlast a busy page. */
const SCHEDULED_AHEAD: Seconds = 30;
const LAY_OUT_AGAIN: Seconds = 15;
/** Length of a changed part that is scheduled at once while playing, and the delay before the rest. */
const SOON: Seconds = 30;
const REST_AFTER: Milliseconds = 120;

/** Timing in which lines are heard: as treated, half way, or as played. */
export const TIMING_VIEWS = ['treated', 'half', 'played'] as const;
export type TimingView = (typeof TIMING_VIEWS)[number];

/** Part whose line is played out to its instrument, with the bars, the last one included. */
export interface PlaysOut {
  readonly part: string;
  readonly first: number;
  readonly last: number;
}

/** Transport: the schedule of what sounds while it rolls, and its place. */
export const useRoll = defineStore('roll', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const recordings = useRecordings();
  const pass = usePass();
  const sound = useSound();
  const backings = useBackings();

  const playhead = ref<Ticks>(0);
  const asPlayed = ref(false);
  /** Timing in which lines are heard while their treatments are compared. */
  const timingView = ref<TimingView>('treated');
  /** Line that is heard and drawn instead of the part's own while a treatment is being set. */
  const preview = shallowRef<{ part: string; line: TreatedReading; sounds?: readonly HeardSound[] } | null>(null);
  /** Recorded controllers that are muted because the player moved them: lanes by part, until they are let resume. */
  const aside = shallowRef<ReadonlyMap<string, ReadonlySet<Lane>>>(new Map());

  /** Bars that are played out to an instrument. Nothing else sounds meanwhile, as it could be recorded along. */
  const playsOut = shallowRef<PlaysOut | null>(null);

  watch(preview, () => {
    sound.also = preview.value?.sounds ?? [];
  });

  let anchor: Anchor | null = null;
  let output: Seconds = 0;
  let scheduledTo: Seconds = 0;
  let rest: ReturnType<typeof setTimeout> | undefined;

  const heardHalf = (line: TreatedReading) => (timingView.value === 'half' ? partWay(line, 0.5) : line);
  function heardLine(part: Part): TreatedReading {
    const own = preview.value?.part === part.id ? preview.value.line : reading.lines.get(part.id)!;
    const line = asPlayed.value || timingView.value === 'played' ? reading.playedLine(part) : heardHalf(own);
    const away = aside.value.get(part.id);
    const controls = away?.size ? line.controls.filter((c) => !away.has(laneOf(c.message))) : line.controls;
    // A part that is heard as recorded is silent here, but for layers whose sound has not arrived.
    if (part.heardAs === 'recorded') {
      const waits = line.notes.filter((n) => recordings.isOnItsWay(layers.closed.get(layerOfNote(n))?.header));
      return { notes: waits, controls: waits.length ? controls : [] };
    }
    return { notes: line.notes, controls };
  }

  /** Hands the recorded sound of parts to their audio tracks. */
  function setSounds(rolls: Rolls | null, now: Seconds): void {
    const made = sound.engine;
    const { maps } = reading;
    if (!made || !maps || !song.document) return;
    const plan = inPass(pass.state) ? pass.plan : null;
    for (const part of song.document.parts) {
      const tried = preview.value?.part === part.id ? preview.value.sounds : undefined;
      const played = asPlayed.value || timingView.value === 'played' ? reading.playedSounds.get(part.id) : undefined;
      const heard = played ?? tried ?? reading.sounds.get(part.id);
      if (part.heardAs !== 'recorded') {
        made.tracks.drop(part.id);
        continue;
      }
      const silent = (plan ? silentUnderPass(pass.state, plan, part, now, now) : []).map(({ from, to }) => ({
        ...{ from: secondsAt(maps.tempo, from), to: secondsAt(maps.tempo, to) },
      }));
      const pieces = soundWithout(heard ?? [], silent).map(({ recording, ...piece }): TrackPiece => ({
        ...{ sound: recording, edge: EDGE, toBothSides: true },
        ...piece,
      }));
      made.tracks.set(part.id, pieces, rolls);
      made.tracks.setGain(part.id, sound.gainOf(part));
    }
  }

  /** @param upTo place in the song where it is broken off */
  function program(at: Anchor, from: Seconds, now: Seconds, upTo: Seconds = Infinity) {
    const opened = openSong.document;
    const maps = openSong.maps;
    scheduledTo = now + SCHEDULED_AHEAD;
    const spans = spansOf(pass.loop, from, scheduledTo, maps.endSeconds);
    const parts = opened.parts
      .map((part, i) => ({ part, channel: channelOf(i) }))
      .filter(({ part }) => !part.away)
      .map(({ part, channel }) => ({ part, voice: { channel, line: heardLine(part) } }));
    const others: PartOnChannel[] = opened.backings.flatMap((b, i) =>
      b.midi ? [{ channel: trackChannelOf(i), line: backings.soundingOf(b) }] : [],
    );
    others.push({ channel: RHYTHM_CHANNEL, line: rhythmOf(opened, maps.meter) });
    return {
      spans,
      events: rollingProgram({
        song: opened,
        maps,
        anchor: at,
        state: pass.state,
        now,
        spans: upTo === Infinity ? spans : spans.map((s) => ({ ...s, to: Math.max(s.from, Math.min(s.to, upTo)) })),
        parts,
        others,
        until: scheduledTo,
      }),
    };
  }

  /** Starts to roll: the clock at `from`, the music at `music`. */
  function start(from: Seconds, music: Seconds): void {
    const made = sound.engine!;
    clearTimeout(rest);
    anchor = made.anchorAt(from, openSong.document.speed);
    if (playsOut.value) {
      made.roll(anchor, [], []);
      return;
    }
    const { spans, events } = program(anchor, music, from);
    setSounds(null, from);
    made.roll(anchor, pass.phase === 'waiting' ? [] : spans, events);
  }

  /** Ends the wait for a note: the clock is set back by `by`, and the music begins at its place then. */
  function begin(by: Seconds, music: Seconds): void {
    const made = sound.engine!;
    anchor = { ...anchor!, song: anchor!.song - by };
    const now = songTime(anchor, made.context.currentTime) + CHANGE_AHEAD / 2;
    const { spans, events } = program(anchor, Math.max(music, now), now);
    setSounds(null, now);
    made.roll(anchor, spans, events);
  }

  function halt(): void {
    clearTimeout(rest);
    sound.engine?.halt();
  }

  const rollingNow = (): Seconds => songTime(anchor!, sound.engine!.context.currentTime) + CHANGE_AHEAD;
  /** Audio time at which music begins that has not begun. */
  const musicFrom = (now: Seconds): Seconds =>
    pass.plan && pass.phase === 'counting' ? Math.max(now, secondsAt(openSong.maps.tempo, pass.plan.music)) : now;

  /**
   * Schedules again after a change. Of a long song that only plays, the next seconds are scheduled first, as the whole
   * takes too long to be heard at once.
   */
  function reschedule(): void {
    const made = sound.engine;
    if (!made || !anchor || !pass.rolling || !song.document || playsOut.value) return;
    clearTimeout(rest);
    const now = rollingNow();
    const isLong = pass.phase === 'playing' && !pass.loop && openSong.maps.endSeconds > now + 2 * SOON;
    const { spans, events } = program(anchor, musicFrom(now), now, isLong ? now + SOON : Infinity);
    made.schedule(events);
    if (isLong) rest = setTimeout(scheduleRest, REST_AFTER);
    setSounds(pass.phase === 'waiting' ? null : { anchor, spans }, now);
    if (pass.phase !== 'waiting') made.tracks.rollOn({ anchor, spans: spans.filter((s) => s.lap > 0 && s.at > now) });
  }

  /** Schedules the rest of a change once the page has drawn it. */
  function scheduleRest(): void {
    const made = sound.engine;
    if (!made || !anchor || pass.phase !== 'playing' || playsOut.value) return;
    const now = rollingNow();
    made.schedule(program(anchor, now, now).events);
  }

  /** Extends the schedule of a loop before it runs out. */
  function extendSchedule(): void {
    if (!anchor || !pass.rolling || !(pass.loop || pass.phase === 'waiting')) return;
    if (rollingNow() > scheduledTo - LAY_OUT_AGAIN) reschedule();
  }

  function moveBackings(): void {
    const made = sound.engine;
    const now = made && anchor && pass.rolling && !playsOut.value ? rollingNow() : null;
    const rolls =
      made && now !== null
        ? {
            anchor: anchor!,
            spans: spansOf(pass.loop, musicFrom(now), now + SCHEDULED_AHEAD, openSong.maps.endSeconds),
          }
        : null;
    for (const backing of song.document?.backings ?? [])
      if (!backing.midi) made?.tracks.set(backing.id, sound.backingPieces(made, backing), rolls);
  }

  /** Rolling clock at a page time, as rendered. The pass uses it. */
  const clockAt = (stamp: Milliseconds): Seconds =>
    anchor && sound.engine
      ? songTime(anchor, sound.engine.arrival(stamp, output))
      : secondsAt(openSong.maps.tempo, playhead.value);
  /** Rolling clock at a page time, as heard. Screens use it. */
  const heardAt = (stamp: Milliseconds): Seconds => songTime(anchor!, sound.engine!.clock.heardAt(stamp));

  /** True while the place follows the clock. */
  const moves = computed(() => pass.rolling);
  /** Tick of the song that is heard now. */
  function tickNow(): Ticks {
    if (!anchor || !sound.engine || !pass.rolling || !reading.maps) return playhead.value;
    return tickAt(reading.maps.tempo, songAt(pass.loop, heardAt(performance.now())));
  }

  /** Fixes the output latency for the next roll. */
  const fixOutput = (reported: Seconds): void => {
    output = reported;
  };
  const outputNow = (): Seconds => output;
  const anchorNow = (): Anchor | null => anchor;

  /** Mutes a recorded controller that the player moves while the song plays. */
  function setAside(partId: string, lane: Lane): void {
    if (
      aside.value.get(partId)?.has(lane) ||
      !reading.lines.get(partId)?.controls.some((c) => laneOf(c.message) === lane)
    )
      return;
    aside.value = new Map(aside.value).set(partId, new Set([...(aside.value.get(partId) ?? []), lane]));
    reschedule();
  }
  function resumeAside(): void {
    aside.value = new Map();
    reschedule();
  }

  return {
    playhead,
    asPlayed,
    timingView,
    preview,
    playsOut,
    aside,
    start,
    begin,
    halt,
    reschedule,
    extendSchedule,
    moveBackings,
    clockAt,
    moves,
    tickNow,
    fixOutput,
    outputNow,
    anchorNow,
    setAside,
    resumeAside,
  };
});
