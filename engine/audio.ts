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

/** The sound bank could not be had, or the audio thread could not be set up. */
class SoundFailed extends Error {}
/** The browser did not start the audio thread. */
export class ThreadFailed extends SoundFailed {}

/**
 * Time from asking to sounding when everything starts together: a few render quanta and the post to the audio thread.
 */
const LEAD: Seconds = 0.12;
/** Time that the browser is given to let sound run, once the person has clicked or pressed a key. */
const PATIENCE: Milliseconds = 4000;
/** And before that, when it may be waiting for just that. */
const PATIENCE_UNASKED: Milliseconds = 400;

/** Wait of whoever told a channel what to play. */
interface ChannelWait {
  readonly channel: number;
  /** Banks that have not come. */
  missing: Set<string>;
  /** The instrument has set it. */
  set: boolean;
  readonly done: () => void;
}

/**
 * The page's audio: context, instrument, tracks and meter. It renders what it is told; what sounds when is
 * decided by its callers.
 */
export class AudioEngine {
  readonly context: AudioContext;
  readonly clock: AudioClock;
  /** Everything that is heard, summed. */
  readonly output: GainNode;
  /** Backings, and what was recorded of instruments outside. */
  readonly tracks: Tracks;
  #instrument: AudioWorkletNode | undefined;
  /** Channels that were told what to play, in their order, until they do. */
  #channelWaits: ChannelWait[] = [];
  /** The further banks that each channel plays from. */
  readonly #banksOf = new Map<number, readonly string[]>();
  /** Further banks that have been asked for, and whether each is here. */
  readonly #banks = new Map<string, boolean>();
  #channelPeaks: readonly number[] = [];
  onMeter: (reading: MeterReading) => void = () => {};
  /** A further bank is needed: its sound is to come by the port, as `FromBank` says. */
  onBankWanted: (name: string, to: MessagePort) => void = () => {};
  /** No channel plays from a further bank any more. */
  onBankUnused: (name: string) => void = () => {};
  /** A further bank cannot be played, and General MIDI's sounds in its place. */
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
   * @param told called with the share of the bank that is here, 0 to 1
   * @throws SoundFailed with the reason; ThreadFailed where another engine may well go
   */
  async load(processors: string, bank: string, told: (share: number) => void): Promise<void> {
    // Thrown below, with what it means.
    const response = await fetch(bank).catch(() => undefined);
    const failed = (): never => {
      throw new SoundFailed('The sounds could not be fetched from the program’s own server.');
    };
    const bytes = response?.ok ? await fetchedBytes(response, told).catch(failed) : failed();
    // A page that comes right after another can find the browser's audio thread still going away.
    await this.context.audioWorklet.addModule(processors).catch((error: unknown) => {
      throw new ThreadFailed('The browser could not start the sound. Reload the page.', { cause: error });
    });
    const node = new AudioWorkletNode(this.context, INSTRUMENT, { numberOfInputs: 0, outputChannelCount: [2] });
    const meter = new AudioWorkletNode(this.context, METER, { numberOfOutputs: 0 });
    meter.port.onmessage = ({ data }: MessageEvent<MeterReading>) => this.onMeter(data);
    node.connect(this.output).connect(this.context.destination);
    this.output.connect(meter);
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
      node.port.postMessage({ type: 'bank', bytes } satisfies ToInstrument, [bytes]);
    });
    this.#instrument = node;
  }

  #tell(message: ToInstrument, moved: Transferable[] = []): void {
    this.#instrument?.port.postMessage(message, moved);
  }

  /** Resolves when the channel can be played without a wait, or its banks were given up. */
  setChannel(channel: number, setting: ChannelSetting): Promise<void> {
    const banks = banksOf(setting);
    this.#tell({ type: 'channel', channel, setting });
    for (const bank of banks) this.#want(bank);
    const before = this.#banksOf.get(channel) ?? [];
    this.#banksOf.set(channel, banks);
    const used = new Set([...this.#banksOf.values()].flat());
    for (const bank of before) if (!used.has(bank)) this.onBankUnused(bank);
    const missing = new Set(banks.filter((bank) => !this.#banks.get(bank)));
    // Whoever set it before waits for what it has now.
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

  /** Gives the channels that a song does not use General MIDI's first sound: what they had may take much memory. */
  rest(used: ReadonlySet<number>): void {
    for (const [channel, banks] of this.#banksOf)
      if (banks.length > 0 && !used.has(channel)) void this.setChannel(channel, { program: 0, gain: 0, shape: [] });
  }

  #channelSet(channel: number): void {
    const wait = this.#channelWaits.find((w) => w.channel === channel && !w.set);
    if (wait) wait.set = true;
    this.#endWaits();
  }

  /** A bank has come, or does not. */
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

  /** Lets go of a further bank that no channel plays from. */
  dropBank(name: string): void {
    this.#banks.delete(name);
    this.#tell({ type: 'drop bank', name });
  }

  /** Goes on without a bank that cannot be had; it is asked for again by the next channel that wants it. */
  giveUpBank(name: string, reason: string): void {
    this.#banks.delete(name);
    this.#bankSettled(name);
    this.onBankFailed(name, reason);
  }

  /** Sets the level of all that a channel sounds, 1 as its sounds have it. */
  setLevel(channel: number, level: number): void {
    this.#tell({ type: 'level', channel, level });
  }

  /** Tunes every sound but drums. @param cents against an A of 440 Hz */
  setTuning(cents: number): void {
    this.#tell({ type: 'tuning', cents });
  }

  setClick(sound: ClickSound, gain: number): void {
    this.#tell({ type: 'click', sound, gain });
  }

  /** Sounds as soon as the audio thread gets it: the live keys. */
  play(channel: number, message: KeyMessage): void {
    this.#tell({ type: 'play', channel, message });
  }

  panic(): void {
    this.#tell({ type: 'panic' });
  }

  /**
   * Fetches and decodes sound for the tracks, unless it is here already.
   * @throws SoundFailed when it is not there or cannot be decoded
   */
  async loadSound(id: string, address: string): Promise<void> {
    if (this.tracks.bufferOf(id)) return;
    // Thrown below, with what it means.
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

  /** The loudest sample a channel has just sent out, 1 being full scale. */
  channelPeak(channel: number): number {
    return this.#channelPeaks[channel] ?? 0;
  }

  /** Ties a place in the song to a moment just ahead, at which everything can start together. */
  anchorAt(song: Seconds, speed: number): Anchor {
    return { context: this.context.currentTime + LEAD, song, speed };
  }

  /** Starts what was scheduled, and the tracks in their spans. Takes the place of what was rolling. */
  roll(anchor: Anchor, spans: readonly Span[], events: readonly Scheduled[]): void {
    this.halt();
    this.schedule(events);
    this.tracks.rollOn({ anchor, spans });
  }

  /** Changes what is scheduled from now on; the tracks roll on. */
  schedule(events: readonly Scheduled[]): void {
    this.#tell({ type: 'schedule', packed: packSchedule(events) });
  }

  halt(): void {
    this.schedule([]);
    this.tracks.silence();
  }

  /** Asks the browser to let sound run; it may want a click or a key first. */
  async resume(): Promise<boolean> {
    if (this.context.state !== 'running') {
      // Before the first gesture the promise may never settle; after it, a cold audio device may take a second or two
      // to open.
      const patience = navigator.userActivation?.hasBeenActive ? PATIENCE : PATIENCE_UNASKED;
      // Whether it did, the state says.
      await Promise.race([this.context.resume().catch(() => {}), new Promise((done) => setTimeout(done, patience))]);
    }
    return (this.context.state as AudioContextState) === 'running';
  }

  /**
   * Time at which a key was struck, on the render clock of the audio: heard time at the stamp, plus the output latency.
   */
  arrival(stamp: Milliseconds, output: Seconds): Seconds {
    return this.clock.heardAt(stamp) + output;
  }

  /** The other way round: the page time at which a key has to be struck for its arrival to be at an audio time. */
  stampOf(context: Seconds, output: Seconds): Milliseconds {
    return this.clock.pageTimeOf(context - output);
  }
}
