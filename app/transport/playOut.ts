import { defineStore } from 'pinia';
import { programOf } from '~~/engine/transport/program';
import { songTime } from '~~/engine/transport/anchor';
import { reachesEnd, type SongMaps } from '~~/core/document/maps';
import type { Part, SoundedAgain } from '~~/core/document/part';
import { laneOf, restore } from '~~/core/performance/controls';
import { MEANT_AHEAD } from '~~/core/performance/intendedPlace';
import { bytesFromMessage, type ControlMessage, type KeyMessage } from '~~/core/performance/messages';
import { soundRanges, unsounded } from '~~/core/reading/sound';
import { soundedAgain, soundedRanges, soundFingerprints } from '~~/core/reading/soundedAgain';
import { barAt, barStart } from '~~/core/time/meter';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { Milliseconds, Seconds } from '~~/core/time/units';
import { barsWords } from '~~/core/time/words';
import { useKeyboards } from '~/keyboards/keyboards';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { BENCH_INPUT, useInputs } from '~/sound/inputs';
import { useSound } from '~/sound/sound';
import { RINGS, useOutside } from './outside';
import { useRoll, type PlaysOut } from './roll';

/** Lead by which messages are handed to the MIDI port with time stamps, so that a busy page sends them in time. */
const AHEAD: Milliseconds = 500;
/** Lateness beyond which a message was sent too late. */
const LATE: Milliseconds = 2;
/** Time that the transport rolls before the first message is due. */
const BEFORE: Seconds = 0.25;
const SILENT_CLICK = { counts: false, plays: false, accent: false, subdivision: 1 };

/** Sends a message at a time, given on the audio clock and on the page's. */
type Outlet = (message: KeyMessage, context: Seconds, page: Milliseconds) => void;

interface Due {
  readonly context: Seconds;
  readonly message: KeyMessage;
}
interface Under extends PlaysOut {
  /** Maps from its start. A change of tempo ends it. */
  readonly maps: SongMaps;
  readonly fingerprints: readonly string[];
  readonly due: readonly Due[];
  readonly outlet: Outlet;
  readonly recording: string;
  readonly input: Seconds;
  /** Number of messages that have been sent. */
  sent: number;
  /** Time at which the last message sounds. */
  lastAt: Milliseconds;
  readonly late: Set<number>;
  readonly keys: Set<number>;
  readonly values: Map<string, ControlMessage>;
}

/** Plays a part's line out to its instrument, and records the sound that comes back as the line's sound. */
export const usePlayOut = defineStore('playOut', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const keyboards = useKeyboards();
  const inputs = useInputs();
  const sound = useSound();
  const notices = useNotices();
  const outside = useOutside();
  const roll = useRoll();
  let under: Under | null = null;

  /** Outlet to which a part's line can be played out; null where there is none. */
  function outletOf({ input, output }: Part): Outlet | null {
    if (input?.device === BENCH_INPUT.device) return (message, context) => inputs.play(message, context);
    const port = keyboards.outputs.find((o) => o.id === output);
    return port ? (message, _context, page) => port.send(bytesFromMessage(message), page) : null;
  }

  /** Reason why a part's line cannot be sounded again now, with what to do; null where it can. */
  function obstacle(part: Part): string | null {
    if (!part.input) return 'Choose the input that its sound is recorded by.';
    if (!outletOf(part)) return 'Choose the instrument that it is played out to.';
    if (song.document?.speed !== 1) return 'The song runs slower than it is written: set it back to 100%.';
    if ((reading.lines.get(part.id)?.notes.length ?? 0) === 0) return 'Its line has no notes to be sounded.';
    return null;
  }

  /** Start of the roll: a bar ahead, so that notes that ring into the first bar are played. */
  function startOf({ part, first }: PlaysOut): Seconds {
    const { tempo, meter } = openSong.maps;
    const tick = first > 1 ? barStart(meter, first - 1) : Math.min(0, reading.lines.get(part)?.notes[0]?.start ?? 0);
    return secondsAt(tempo, tick) - BEFORE;
  }
  function endOf({ last }: PlaysOut): Seconds {
    const { tempo, meter } = openSong.maps;
    return secondsAt(tempo, barStart(meter, last + 1));
  }

  /** Starts sending the line, and keeping the sound that comes back. */
  function begin(): void {
    const wanted = roll.playsOut;
    const anchor = roll.anchorNow();
    const part = song.document?.parts.find((p) => p.id === wanted?.part);
    if (!wanted || !anchor || !part?.input) return;
    const recorded = outside.recordingOf(part.input);
    const outlet = outletOf(part);
    if (!recorded || !outlet) return;
    outside.keepAll();
    const maps = openSong.maps;
    const line = reading.lines.get(part.id)!;
    const voices = [{ channel: 0, line }];
    const due = programOf(maps, anchor, { from: startOf(wanted), to: endOf(wanted) }, voices, SILENT_CLICK)
      .flatMap((e): Due[] => ('message' in e ? [{ context: e.at, message: e.message }] : []))
      .sort((a, b) => a.context - b.context);
    under = {
      ...{ ...wanted, ...recorded, maps, fingerprints: soundFingerprints(line, maps), due, outlet, sent: 0, lastAt: 0 },
      ...{ late: new Set(), keys: new Set(), values: new Map() },
    };
    send(performance.now());
  }

  /** Sends the messages that are due. It is called as often as the clock is read. */
  function send(now: Milliseconds): void {
    const made = sound.engine;
    if (!under || !made) return;
    for (; under.sent < under.due.length; under.sent += 1) {
      const { context, message } = under.due[under.sent]!;
      const page = made.stampOf(context, roll.outputNow());
      if (page > now + AHEAD) return;
      if (page < now - LATE || !sent(under.outlet, message, context, Math.max(page, now))) noteLate(under, context);
      under.lastAt = page;
      if (message.type === 'noteOn') under.keys.add(message.key);
      else if (message.type === 'noteOff') under.keys.delete(message.key);
      else under.values.set(laneOf(message), message);
    }
  }

  /** @returns false where the instrument is not connected */
  function sent(outlet: Outlet, ...message: Parameters<Outlet>): boolean {
    try {
      outlet(...message);
      return true;
    } catch {
      return false;
    }
  }

  function noteLate({ late, maps: { tempo, meter } }: Under, context: Seconds): void {
    const tick = tickAt(tempo, songTime(roll.anchorNow()!, context));
    for (const at of [tick, tick + MEANT_AHEAD]) late.add(Math.max(1, barAt(meter, at)));
  }

  /** Sends a release for every key and a rest value for every controller that was sent. */
  function letGo({ keys, values, lastAt, outlet }: Under, after: Milliseconds): void {
    const made = sound.engine;
    if (!made) return;
    const page = Math.max(performance.now(), lastAt) + after + 1;
    const context = made.arrival(page, roll.outputNow());
    for (const key of keys) sent(outlet, { type: 'noteOff', key, velocity: 64 }, context, page);
    for (const { message } of restore(values, new Map(), 0)) sent(outlet, message, context, page);
  }

  /**
   * Test for a part of which the whole line has recorded sound, with what just came back: it is heard as recorded then.
   */
  function isWholeWith(partId: string, again: SoundedAgain): boolean {
    const part = song.document?.parts.find((p) => p.id === partId);
    const line = reading.lines.get(partId);
    const maps = openSong.maps;
    if (!part || !line) return false;
    if (part.heardAs === 'recorded') return true;
    const { layers } = reading.sources;
    const ranges = soundedRanges({ soundedAgain: [...part.soundedAgain, again] }, line, maps);
    const sounded = [...ranges, ...soundRanges(part, layers, reading.sources, ranges)];
    return unsounded(line.notes, sounded, maps.end).length === 0;
  }

  /** Ends after the transport has stopped. @param at on the rolling clock */
  function halted(at: Seconds): void {
    roll.playsOut = null;
    const was = under;
    under = null;
    if (!was) return;
    const { maps } = was;
    letGo(was, reachesEnd(maps, at) ? RINGS * 1000 : 0);
    const about = { id: crypto.randomUUID(), recording: was.recording, input: was.input, at: new Date().toISOString() };
    const from = secondsAt(maps.tempo, barStart(maps.meter, was.first));
    const again = soundedAgain(about, was.fingerprints, maps, { from, to: at }, was.late);
    const name = song.document?.parts.find((p) => p.id === was.part)?.name ?? '';
    if (!again) {
      notices.say(`No bar of ${name} came to be sounded again from its beginning to its end, so nothing was changed.`);
      return;
    }
    roll.playhead = barStart(maps.meter, was.first);
    const heard = isWholeWith(was.part, again);
    song.run({ type: 'sound again', part: was.part, again, heard });
    const late = [...was.late].filter((b) => b >= again.first && b < again.first + again.bars.length);
    const ends = again.first + again.bars.length;
    const range = { from: barStart(maps.meter, again.first), to: barStart(maps.meter, ends) };
    const rest = heard
      ? ''
      : ' Other bars have no sound yet, so it still is heard as before; its sound’s menu has “Its recorded sound”.';
    const words = `${name} was sounded again, ${barsWords(range, maps.meter)}.${rest}`;
    if (late.length === 0) {
      notices.say(words, 'plain');
      return;
    }
    const which = late.sort((a, b) => a - b).join(', ');
    notices.say(`${words} Not bar ${which}: something was sent late, or not at all. Sound that once more.`);
  }

  /** Silences the instrument outside. */
  function silence(): void {
    if (under) letGo(under, 0);
  }

  return { obstacle, startOf, endOf, begin, send, halted, silence };
});
