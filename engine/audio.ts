import type { KeyMessage } from '../core/performance/messages';
import type { Milliseconds, Seconds } from '../core/time/units';
import { AudioClock } from './clock/audioclock';
import type { ChannelSetting, Scheduled } from './instrument/schedule';
import { contextTime, type Anchor } from './transport/anchor';
import { INSTRUMENT, METER, type FromInstrument, type MeterReading, type ToInstrument } from './worklet/messages';

/** The sound bank could not be had, or the audio thread could not be set up. */
export class SoundFailed extends Error {}

interface BackingTrack {
  readonly buffer: AudioBuffer;
  readonly gain: GainNode;
  readonly offset: Seconds;
  source: AudioBufferSourceNode | undefined;
}

/** Time from asking to sounding when everything starts together: a few render quanta and the post to the audio thread. */
const LEAD: Seconds = 0.12;

/**
 * The page's audio: context, instrument, backings and meter. It renders what it is told; what sounds when is
 * decided by its callers.
 */
export class AudioEngine {
  readonly context: AudioContext;
  readonly clock: AudioClock;
  readonly #master: GainNode;
  #instrument: AudioWorkletNode | undefined;
  readonly #backings = new Map<string, BackingTrack>();
  readonly #channelWaits = new Map<number, { promise: Promise<void>; done: () => void }>();
  onMeter: (reading: MeterReading) => void = () => {};

  constructor() {
    this.context = new AudioContext({ latencyHint: 'interactive' });
    this.clock = new AudioClock(this.context);
    this.#master = new GainNode(this.context);
  }

  /**
   * Sets up the audio thread and its sound bank. May be called before the browser allows sound.
   * @param processors address of the built `worklet/processors.ts`
   * @param bank address of the sound bank
   * @throws SoundFailed with the reason
   */
  async load(processors: string, bank: string): Promise<void> {
    const response = await fetch(bank).catch(() => undefined);
    if (!response?.ok) throw new SoundFailed('The sounds could not be fetched from the program’s own server.');
    const bytes = await response.arrayBuffer();
    await this.context.audioWorklet.addModule(processors);
    const node = new AudioWorkletNode(this.context, INSTRUMENT, { numberOfInputs: 0, outputChannelCount: [2] });
    const meter = new AudioWorkletNode(this.context, METER, { numberOfOutputs: 0 });
    meter.port.onmessage = ({ data }: MessageEvent<MeterReading>) => this.onMeter(data);
    node.connect(this.#master).connect(this.context.destination);
    this.#master.connect(meter);
    await new Promise<void>((ready, failed) => {
      node.port.onmessage = ({ data }: MessageEvent<FromInstrument>) => {
        if (data.type === 'ready') ready();
        else if (data.type === 'failed') failed(new SoundFailed(`The sounds could not be read: ${data.reason}`));
        else this.#channelWaits.get(data.channel)?.done();
      };
      node.port.postMessage({ type: 'bank', bytes } satisfies ToInstrument, [bytes]);
    });
    this.#instrument = node;
  }

  #tell(message: ToInstrument): void {
    this.#instrument?.port.postMessage(message);
  }

  /** Resolves when the channel's preset is decoded and can be played without a wait. */
  setChannel(channel: number, setting: ChannelSetting): Promise<void> {
    let done = () => {};
    const promise = new Promise<void>((resolve) => { done = resolve; });
    this.#channelWaits.set(channel, { promise, done });
    this.#tell({ type: 'channel', channel, setting });
    return promise;
  }

  setGain(channel: number, gain: number): void {
    this.#tell({ type: 'gain', channel, gain });
  }

  setClickGain(gain: number): void {
    this.#tell({ type: 'click gain', gain });
  }

  /** Sounds as soon as the audio thread gets it: the live keys. */
  play(channel: number, message: KeyMessage): void {
    this.#tell({ type: 'play', channel, message });
  }

  panic(): void {
    this.#tell({ type: 'panic' });
  }

  /** Fetches and decodes a backing. @throws SoundFailed when it is not there or cannot be decoded */
  async loadBacking(id: string, address: string, offset: Seconds): Promise<void> {
    if (this.#backings.has(id)) return;
    const response = await fetch(address).catch(() => undefined);
    if (!response?.ok) throw new SoundFailed('A backing could not be fetched.');
    try {
      const buffer = await this.context.decodeAudioData(await response.arrayBuffer());
      const gain = new GainNode(this.context);
      gain.connect(this.#master);
      this.#backings.set(id, { buffer, gain, offset, source: undefined });
    } catch {
      throw new SoundFailed('A backing’s file could not be decoded.');
    }
  }

  /** Lets go of every backing: another song is opened. */
  dropBackings(): void {
    this.halt();
    for (const { gain } of this.#backings.values()) gain.disconnect();
    this.#backings.clear();
  }

  setBackingGain(id: string, gain: number): void {
    this.#backings.get(id)?.gain.gain.setTargetAtTime(gain, this.context.currentTime, 0.01);
  }

  /** Ties a place in the song to a moment just ahead, at which everything can start together. */
  anchorAt(song: Seconds): Anchor {
    return { context: this.context.currentTime + LEAD, song };
  }

  /** Starts what was scheduled, and the backings from `music` on. Takes the place of what was rolling. */
  roll(anchor: Anchor, music: Seconds, events: readonly Scheduled[]): void {
    this.halt();
    this.schedule(events);
    for (const track of this.#backings.values()) {
      const into = music - track.offset;
      if (into >= track.buffer.duration) continue;
      track.source = new AudioBufferSourceNode(this.context, { buffer: track.buffer });
      track.source.connect(track.gain);
      track.source.start(contextTime(anchor, music) + Math.max(0, -into), Math.max(0, into));
    }
  }

  /** Changes what is scheduled from now on; the backings roll on. */
  schedule(events: readonly Scheduled[]): void {
    this.#tell({ type: 'schedule', events });
  }

  halt(): void {
    this.schedule([]);
    for (const track of this.#backings.values()) {
      track.source?.stop();
      track.source?.disconnect();
      track.source = undefined;
    }
  }

  /** Asks the browser to let sound run; it may want a click or a key first. */
  async resume(): Promise<boolean> {
    if (this.context.state !== 'running') {
      // Before the first gesture the promise may never settle.
      await Promise.race([this.context.resume().catch(() => {}), new Promise((done) => setTimeout(done, 400))]);
    }
    return (this.context.state as AudioContextState) === 'running';
  }

  /** When a key was struck, on the render clock of the audio: heard time at the stamp, plus the way out. */
  arrival(stamp: Milliseconds, output: Seconds): Seconds {
    return this.clock.heardAt(stamp) + output;
  }
}
