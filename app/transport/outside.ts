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

/** Input that is open for a roll, with the id of its recording. */
interface Ready {
  readonly id: string;
  readonly songId: string;
  readonly input: SoundInput;
  readonly capture: Capture;
}
interface Running extends Ready {
  readonly end: () => void;
  /** True once a layer uses it: from then on it is kept. */
  opened: boolean;
}

/** Time after the end in which sound of a note just before it still arrives. */
const LATE: Seconds = 0.4;
/** Length of sound after the song's last bar that is recorded. */
export const RINGS: Seconds = 4;
/** Time after which the tab gives up the recording's lock, when its last piece has been sent. */
const SENT: Milliseconds = 2000;

const deviceOf = ({ device, channels }: SoundInput): string => `${device} ${channels}`;

/**
 * Records outside instruments while the transport rolls, one recording for each input and roll. It runs from the start,
 * so that a note ahead of a punch-in is in it, and is kept once a pass uses it.
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
  /** Inputs for the roll that is about to begin. */
  let ready: Ready[] = [];

  const wanted = () => (song.document && !withoutSound(song.document) ? soundingParts(song.document) : []);

  /**
   * Opens the inputs of the armed parts. One that fails is reported, and the keys are recorded without it.
   * @param own the only input that is opened, for a part that is played out to its instrument
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

  /** Recordings for a pass, by part: the running ones, or those of the roll that is about to begin. */
  function forPlan(rolling: boolean): NonNullable<PlanFacts['sounds']> {
    const all = rolling ? running : ready;
    return new Map(
      wanted().flatMap(({ part, input }) => {
        const own = all.find((r) => deviceOf(r.input) === deviceOf(input));
        return own ? [[part, { recording: own.id, input: own.capture.input }] as const] : [];
      }),
    );
  }

  /** Recording of an input, running or about to begin, with the input latency. */
  function recordingOf(input: SoundInput): Pick<LayerSound, 'recording' | 'input'> | null {
    const own = [...running, ...ready].find((r) => deviceOf(r.input) === deviceOf(input));
    return own ? { recording: own.id, input: own.capture.input } : null;
  }

  /** Starts recording into memory when the transport begins to roll. */
  function begin(): void {
    end(0);
    running = ready.map((own) => {
      const { port1, port2 } = new MessageChannel();
      void sync.capture(own.id, port1, own.capture.rate, own.capture.channels);
      return { ...own, end: own.capture.record(port2), opened: false };
    });
    // A roll that begins again without new inputs gets recordings of its own.
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
