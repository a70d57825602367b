import type { KeyMessage } from '../core/performance/messages';
import type { ClickSound } from '../core/document/click';
import type { Milliseconds, Seconds } from '../core/time/units';
import { AudioClock } from './clock/audioClock';
import { banksOf, type ChannelSetting, type Scheduled } from './instrument/schedule';
import { fetchedBytes } from './fetchedBytes';
import { packSchedule } from './worklet/packedSchedule';
import { Tracks } from './tracks';
import type { Anchor } from './transport/anchor';
import type { Span } from './transport/spans';
import { INSTRUMENT, METER, type FromInstrument, type MeterReading, type ToInstrument } from './worklet/messages';

/** Error of a sound bank that could not be loaded, or an audio thread that could not be set up. */
class SoundFailed extends Error {}
/** Error of an audio thread that the browser did not start. */
export class ThreadFailed extends SoundFailed {}

/**
 * Time from scheduling to sounding when everything starts together: a few render quanta and a message to the audio
 * thread.
 */
const LEAD: Seconds = 0.12;
/** Longest wait for the audio context to resume after a user gesture. */
const PATIENCE: Milliseconds = 4000;
/** Longest wait before any gesture, when the browser may be waiting for one. */
const PATIENCE_UNASKED: Milliseconds = 400;

/** Bytes of a bank, or why they did not come: a caller that does something else meanwhile asks for it later. */
async function fetchBank(bank: string, told: (share: number) => void): Promise<ArrayBuffer | SoundFailed> {
  try {
    const response = await fetch(bank);
    if (!response.ok) throw new Error(`Status ${response.status}`);
    return await fetchedBytes(response, told);
  } catch (cause) {
    return new SoundFailed('The sounds could not be fetched from the program’s own server.', { cause });
  }
}

/** Promise of a channel's setting, with what it waits for. */
interface ChannelWait {
  readonly channel: number;
  /** Banks that have not been loaded yet. */
  missing: Set<string>;
  /** True once the instrument has set the channel. */
  set: boolean;
  readonly done: () => void;
}

/**
 * Audio of the page: context, instrument, tracks and meter. It renders what it is told; callers decide what sounds
 * when.
 */
export class AudioEngine {
  readonly context: AudioContext;
  readonly clock: AudioClock;
  /** Sum of everything that is heard. */
  readonly output: GainNode;
  /** Backings, and recorded sound of outside instruments. */
  readonly tracks: Tracks;
  #instrument: AudioWorkletNode | undefined;
  /** Settings of channels that are under way, in order. */
  #channelWaits: ChannelWait[] = [];
  /** Further banks that each channel plays from. */
  readonly #banksOf = new Map<number, readonly string[]>();
  /** Further banks that were requested, with whether each is loaded. */
  readonly #banks = new Map<string, boolean>();
  #channelPeaks: readonly number[] = [];
  onMeter: (reading: MeterReading) => void = () => {};
  /** Called when a further bank is needed. Its sound is sent through the port as `FromBank`. */
  onBankWanted: (name: string, to: MessagePort) => void = () => {};
  /** Called when no channel plays from a further bank any more. */
  onBankUnused: (name: string) => void = () => {};
  /** Called when a further bank cannot be played, and General MIDI's sounds replace it. */
  onBankFailed: (name: string, reason: string) => void = () => {};

  constructor() {
    this.context = new AudioContext({ latencyHint: 'interactive' });
    this.clock = new AudioClock(this.context);
    this.output = new GainNode(this.context);
    this.tracks = new Tracks(this.context, this.output);
  }

  /**
   * Sets up the audio thread and its sound bank. May be called before the browser allows sound.
   * @param processors address of the built `worklet/processors.ts`
   * @param bank address of the sound bank
   * @param first further banks that are read meanwhile, as they will be needed
   * @param told called with the share of the bank that is here, 0 to 1
   * @throws SoundFailed with the reason; ThreadFailed where another engine may well go
   */
  async load(processors: string, bank: string, first: readonly string[], told: (share: number) => void): Promise<void> {
    const coming = fetchBank(bank, told);
    // The audio thread of a page just closed can still be ending.
    await this.context.audioWorklet.addModule(processors).catch((error: unknown) => {
      throw new ThreadFailed('The browser could not start the sound. Reload the page.', { cause: error });
    });
    const node = new AudioWorkletNode(this.context, INSTRUMENT, { numberOfInputs: 0, outputChannelCount: [2] });
    const meter = new AudioWorkletNode(this.context, METER, { numberOfOutputs: 0 });
    meter.port.onmessage = ({ data }: MessageEvent<MeterReading>) => this.onMeter(data);
    node.connect(this.output).connect(this.context.destination);
    this.output.connect(meter);
    // The audio thread keeps what it is told until it has the bank.
    this.#instrument = node;
    for (const further of first) this.#want(further);
    const bytes = await coming;
    if (bytes instanceof SoundFailed) throw bytes;
    await new Promise<void>((ready, failed) => {
      node.port.onmessage = ({ data }: MessageEvent<FromInstrument>) => {
        if (data.type === 'ready') ready();
        else if (data.type === 'failed') failed(new SoundFailed(`The sounds could not be read: ${data.reason}`));
        else if (data.type === 'peaks') this.#channelPeaks = data.peaks;
        else if (data.type === 'bank failed') this.giveUpBank(data.name, data.reason);
        else if (data.type === 'channel set') this.#channelSet(data.channel);
        else {
          if (this.#banks.has(data.name)) this.#banks.set(data.name, true);
          this.#bankSettled(data.name);
        }
      };
      this.#tell({ type: 'bank', bytes }, [bytes]);
    });
  }

  #tell(message: ToInstrument, moved: Transferable[] = []): void {
    this.#instrument?.port.postMessage(message, moved);
  }

  /** Resolves when the channel plays without delay, or its banks have failed. */
  setChannel(channel: number, setting: ChannelSetting): Promise<void> {
    const banks = banksOf(setting);
    this.#tell({ type: 'channel', channel, setting });
    for (const bank of banks) this.#want(bank);
    const before = this.#banksOf.get(channel) ?? [];
    this.#banksOf.set(channel, banks);
    const used = new Set([...this.#banksOf.values()].flat());
    for (const bank of before) if (!used.has(bank)) this.onBankUnused(bank);
    const missing = new Set(banks.filter((bank) => !this.#banks.get(bank)));
    // An earlier caller waits for the present setting.
    for (const wait of this.#channelWaits) if (wait.channel === channel) wait.missing = missing;
    return new Promise((done) => {
      this.#channelWaits.push({ channel, missing, set: false, done });
    });
  }

  #want(bank: string): void {
    if (this.#banks.has(bank)) return;
    this.#banks.set(bank, false);
    const { port1, port2 } = new MessageChannel();
    this.#tell({ type: 'further bank', name: bank, from: port1 }, [port1]);
    this.onBankWanted(bank, port2);
  }

  /** Sets unused channels to General MIDI's first sound, as their sounds may take much memory. */
  rest(used: ReadonlySet<number>): void {
    for (const [channel, banks] of this.#banksOf)
      if (banks.length > 0 && !used.has(channel)) void this.setChannel(channel, { program: 0, gain: 0, shape: [] });
  }

  #channelSet(channel: number): void {
    const wait = this.#channelWaits.find((w) => w.channel === channel && !w.set);
    if (wait) wait.set = true;
    this.#endWaits();
  }

  /** Ends the wait for a bank that was loaded or has failed. */
  #bankSettled(name: string): void {
    for (const wait of this.#channelWaits) wait.missing.delete(name);
    this.#endWaits();
  }

  #endWaits(): void {
    const ends = (wait: ChannelWait): boolean => wait.set && wait.missing.size === 0;
    const ended = this.#channelWaits.filter(ends);
    this.#channelWaits = this.#channelWaits.filter((wait) => !ends(wait));
    for (const { done } of ended) done();
  }

  /** Drops a further bank that no channel plays from. */
  dropBank(name: string): void {
    this.#banks.delete(name);
    this.#tell({ type: 'drop bank', name });
  }

  /** Goes on without a bank that failed; the next channel that needs it requests it again. */
  giveUpBank(name: string, reason: string): void {
    this.#banks.delete(name);
    this.#bankSettled(name);
    this.onBankFailed(name, reason);
  }

  /** Sets the gain of a channel, 1 as its sounds have it. */
  setLevel(channel: number, level: number): void {
    this.#tell({ type: 'level', channel, level });
  }

  /** Tunes all sounds but drums. @param cents against an A of 440 Hz */
  setTuning(cents: number): void {
    this.#tell({ type: 'tuning', cents });
  }

  setClick(sound: ClickSound, gain: number): void {
    this.#tell({ type: 'click', sound, gain });
  }

  /** Sounds a live message as soon as the audio thread has it. */
  play(channel: number, message: KeyMessage): void {
    this.#tell({ type: 'play', channel, message });
  }

  panic(): void {
    this.#tell({ type: 'panic' });
  }

  /**
   * Loads and decodes sound for the tracks, unless it is there.
   * @throws SoundFailed where it is missing or cannot be decoded
   */
  async loadSound(id: string, address: string): Promise<void> {
    if (this.tracks.bufferOf(id)) return;
    // The error is thrown below, with its meaning.
    const response = await fetch(address).catch(() => undefined);
    if (!response?.ok) throw new SoundFailed('A sound could not be fetched.');
    this.tracks.addSound(id, await this.decode(await response.arrayBuffer()));
  }

  /** @throws SoundFailed when the browser cannot decode it */
  async decode(bytes: ArrayBuffer): Promise<AudioBuffer> {
    try {
      return await this.context.decodeAudioData(bytes);
    } catch {
      throw new SoundFailed('The browser cannot decode this file.');
    }
  }

  /** Peak that a channel has just sent out, 1 being full scale. */
  channelPeak(channel: number): number {
    return this.#channelPeaks[channel] ?? 0;
  }

  /** Anchor of a place in the song at a moment just ahead, at which everything can start together. */
  anchorAt(song: Seconds, speed: number): Anchor {
    return { context: this.context.currentTime + LEAD, song, speed };
  }

  /** Starts a schedule, and the tracks in their spans, instead of what was rolling. */
  roll(anchor: Anchor, spans: readonly Span[], events: readonly Scheduled[]): void {
    this.halt();
    this.schedule(events);
    this.tracks.rollOn({ anchor, spans });
  }

  /** Changes the schedule from now on; the tracks roll on. */
  schedule(events: readonly Scheduled[]): void {
    this.#tell({ type: 'schedule', packed: packSchedule(events) });
  }

  halt(): void {
    this.schedule([]);
    this.tracks.silence();
  }

  /** Resumes the audio context. Browsers may require a click or key first. */
  async resume(): Promise<boolean> {
    if (this.context.state !== 'running') {
      // Before a gesture the promise may never settle; after one, a cold audio device may take a second or two.
      const patience = navigator.userActivation?.hasBeenActive ? PATIENCE : PATIENCE_UNASKED;
      // The context's state has the outcome.
      await Promise.race([this.context.resume().catch(() => {}), new Promise((done) => setTimeout(done, patience))]);
    }
    return (this.context.state as AudioContextState) === 'running';
  }

  /** Audio time at which a key was played, as rendered: the heard time at its stamp, plus the output latency. */
  arrival(stamp: Milliseconds, output: Seconds): Seconds {
    return this.clock.heardAt(stamp) + output;
  }

  /** Page time at which a key has to be played for its audio time to be a given one. */
  stampOf(context: Seconds, output: Seconds): Milliseconds {
    return this.clock.pageTimeOf(context - output);
  }
}
