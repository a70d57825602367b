import { defineStore } from 'pinia';
import type { Capture } from '~~/engine/inputs/capture';
import { songTime } from '~~/engine/transport/anchor';
import type { SoundInput } from '~~/core/document/part';
import type { KeyMessage } from '~~/core/performance/messages';
import { admits, listenersOf } from '~~/core/recording/inputRoutes';
import type { PlanFacts } from '~~/core/recording/plan';
import { soundingParts, withoutSound } from '~~/core/recording/partsWithSound';
import type { LayerHeader, LayerSound } from '~~/core/takes/layer';
import type { Milliseconds, Seconds } from '~~/core/time/units';
import { wordsOf } from '~/api/api';
import { useSync } from '~/sync/sync';
import { useNotices } from '~/notices/notices';
import { thisBrowser } from '~/song/browser';
import { useRecordings } from '~/song/recordings';
import { useSong } from '~/song/song';
import { BENCH_INPUT, useInputs } from '~/sound/inputs';
import { useSound } from '~/sound/sound';
import { usePass } from './pass';
import { useRoll } from './roll';

/** An input that is open for a roll, with the name that its recording has or will have. */
interface Ready {
  readonly id: string;
  readonly songId: string;
  readonly input: SoundInput;
  readonly capture: Capture;
}
interface Running extends Ready {
  readonly end: () => void;
  /** It is kept: a layer has it. */
  opened: boolean;
}

/** Time after the end in which what was struck just before still comes in. */
const LATE: Seconds = 0.4;
/** Time for which sound behind the song's last bar is recorded. */
export const RINGS: Seconds = 4;
/** Until the last piece of a recording is on its way, it is this tab's. */
const SENT: Milliseconds = 2000;

const deviceOf = ({ device, channels }: SoundInput): string => `${device} ${channels}`;

/**
 * Records the instruments outside while something rolls: one recording for each input and roll. It runs from the start,
 * so that a note ahead of a punch-in is in it, and is kept from the moment that a pass wants it.
 */
export const useOutside = defineStore('outside', () => {
  const song = useSong();
  const inputs = useInputs();
  const sync = useSync();
  const recordings = useRecordings();
  const notices = useNotices();
  const roll = useRoll();
  const pass = usePass();
  const sound = useSound();
  let running: Running[] = [];
  /** For what is about to roll. */
  let ready: Ready[] = [];

  const wanted = () => (song.document && !withoutSound(song.document) ? soundingParts(song.document) : []);

  /**
   * Opens the inputs of the parts that listen. One that cannot be had is said; the keys are recorded without it.
   * @param own the one input that is wanted instead, for what is played out to its instrument
   */
  async function getReady(own?: SoundInput): Promise<void> {
    const songId = song.id!;
    const all = new Map((own ? [own] : wanted().map((w) => w.input)).map((input) => [deviceOf(input), input]));
    const without = own ? 'So nothing was played.' : 'The keys are recorded without their sound.';
    inputs.keepOnly([...all.values()]);
    const made: Ready[] = [];
    for (const input of all.values()) {
      await inputs.get(input).then(
        (capture) => made.push({ id: crypto.randomUUID(), songId, input, capture }),
        (error) => notices.say(`${input.name}: ${wordsOf(error)} ${without}`),
      );
    }
    ready = made;
  }

  /** The recordings that a pass has, by part: those that run, or those of the roll that is about to begin. */
  function forPlan(rolling: boolean): NonNullable<PlanFacts['sounds']> {
    const all = rolling ? running : ready;
    return new Map(
      wanted().flatMap(({ part, input }) => {
        const own = all.find((r) => deviceOf(r.input) === deviceOf(input));
        return own ? [[part, { recording: own.id, input: own.capture.input }] as const] : [];
      }),
    );
  }

  /** The recording that an input has or will have, with its latency. */
  function recordingOf(input: SoundInput): Pick<LayerSound, 'recording' | 'input'> | null {
    const own = [...running, ...ready].find((r) => deviceOf(r.input) === deviceOf(input));
    return own ? { recording: own.id, input: own.capture.input } : null;
  }

  /** Something begins to roll: from here on it is recorded, in memory at first. */
  function begin(): void {
    end(0);
    running = ready.map((own) => {
      const { port1, port2 } = new MessageChannel();
      void sync.capture(own.id, port1, own.capture.rate, own.capture.channels);
      return { ...own, end: own.capture.record(port2), opened: false };
    });
    // A roll that begins without having been asked for anew has recordings of its own.
    ready = ready.map((own) => ({ ...own, id: crypto.randomUUID() }));
  }

  /** @param pass the one that it is kept for; none where a line was played out */
  function keep(recording: string, pass?: string): void {
    const own = running.find((r) => r.id === recording);
    const anchor = roll.anchorNow();
    if (!own || own.opened || !anchor) return;
    own.opened = true;
    const { rate, channels } = own.capture;
    const facts = { zero: songTime(anchor, 0), rate, channels, from: own.input.name };
    recordings.hold(own.id);
    void sync.openRecording(own.id, {
      ...{ songId: own.songId, pass, method: 'POST', path: '/api/recordings' },
      body: { songId: own.songId, id: own.id, facts, by: thisBrowser() },
    });
  }

  /** The sound that layers have is kept from here on: where it lies is known once nothing is waited for. */
  function keepFor(headers: readonly LayerHeader[] = []): void {
    if (pass.phase === 'waiting') return;
    for (const { sound, passId } of headers) if (sound) keep(sound.recording, passId);
  }

  /** All that runs is kept. */
  function keepAll(): void {
    for (const { id } of running) keep(id);
  }

  /** Nothing rolls any more. @param rings what rings on behind the song is recorded */
  function halt(rings: boolean): void {
    end(rings ? RINGS : LATE);
  }

  function end(after: Seconds): void {
    const ending = running;
    running = [];
    for (const { id, songId, end: ends } of ending)
      setTimeout(() => {
        ends();
        const body = { songId, by: thisBrowser() };
        const path = `/api/recordings/${id}/close`;
        void sync.closeRecording(id, { songId, method: 'POST', path, body });
        setTimeout(() => recordings.letGo(id), SENT);
      }, after * 1000);
  }

  /** The instrument that stands in for one outside is played by the keys. */
  function hear(port: string, message: KeyMessage, stamp: Milliseconds): void {
    const made = sound.engine;
    if (!made || !song.document || roll.playsOut) return;
    const struck = made.arrival(stamp, roll.outputNow());
    for (const { part, route } of listenersOf(song.document))
      if (part.input?.device === BENCH_INPUT.device && admits(route, port, message)) inputs.play(message, struck);
  }

  return { getReady, forPlan, recordingOf, begin, keepFor, keepAll, halt, hear };
});
