import type { KeyMessage } from '../core/performance/messages';
import type { ClickSound } from '../core/document/click';
import type { Milliseconds, Seconds } from '../core/time/units';
import { AudioClock } from './clock/audioclock';
import type { ChannelSetting, Scheduled } from './instrument/schedule';
import { packSchedule } from './worklet/packedSchedule';
import { timeStretched } from './timestretch';
import { contextTime, type Anchor } from './transport/anchor';
import { anchorOf, type Span } from './transport/spans';
import { INSTRUMENT, METER, type FromInstrument, type MeterReading, type ToInstrument } from './worklet/messages';

/** The sound bank could not be had, or the audio thread could not be set up. */
export class SoundFailed extends Error {}
/** The browser did not start the audio thread. */
export class ThreadFailed extends SoundFailed {}

interface BackingTrack {
  /** As decoded, at the context's rate. */
  readonly buffer: AudioBuffer;
  readonly gain: GainNode;
  readonly pan: StereoPannerNode;
  readonly meter: AnalyserNode;
  /** The buffer as it sounds at `speed`. */
  sounding: AudioBuffer;
  speed: number;
  offset: Seconds;
  /** What sounds or is about to, by where on the rolling clock its span begins. */
  readonly sources: Map<Seconds, AudioBufferSourceNode>;
}

/** How long a lap of a backing takes to give way to the next. */
const SEAM_FADE: Seconds = 0.003;
/**
 * Time from asking to sounding when everything starts together: a few render quanta and the post to the audio thread.
 */
const LEAD: Seconds = 0.12;
/** How long the browser is given to let sound run, once the person has clicked or pressed a key. */
const PATIENCE: Milliseconds = 4000;
/** And before that, when it may be waiting for just that. */
const PATIENCE_UNASKED: Milliseconds = 400;

/**
 * The page's audio: context, instrument, backings and meter. It renders what it is told; what sounds when is
 * decided by its callers.
 */
export class AudioEngine {
  readonly context: AudioContext;
  readonly clock: AudioClock;
  /** Everything that is heard, summed. */
  readonly output: GainNode;
  #instrument: AudioWorkletNode | undefined;
  readonly #backings = new Map<string, BackingTrack>();
  readonly #channelWaits = new Map<number, { promise: Promise<void>; done: () => void }>();
  #channelPeaks: readonly number[] = [];
  onMeter: (reading: MeterReading) => void = () => {};

  constructor() {
    this.context = new AudioContext({ latencyHint: 'interactive' });
    this.clock = new AudioClock(this.context);
    this.output = new GainNode(this.context);
  }

  /**
   * Sets up the audio thread and its sound bank. May be called before the browser allows sound.
   * @param processors address of the built `worklet/processors.ts`
   * @param bank address of the sound bank
   * @throws SoundFailed with the reason; ThreadFailed where another engine may well go
   */
  async load(processors: string, bank: string): Promise<void> {
    const response = await fetch(bank).catch(() => undefined);
    if (!response?.ok) throw new SoundFailed('The sounds could not be fetched from the program’s own server.');
    const bytes = await response.arrayBuffer();
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
    const promise = new Promise<void>((resolve) => {
      done = resolve;
    });
    this.#channelWaits.set(channel, { promise, done });
    this.#tell({ type: 'channel', channel, setting });
    return promise;
  }

  setGain(channel: number, gain: number): void {
    this.#tell({ type: 'gain', channel, gain });
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
   * Fetches and decodes a backing, unless it is here already.
   * @throws SoundFailed when it is not there or cannot be decoded
   */
  async loadBacking(id: string, address: string, offset: Seconds): Promise<void> {
    const known = this.#backings.get(id);
    if (known) {
      known.offset = offset;
      return;
    }
    const response = await fetch(address).catch(() => undefined);
    if (!response?.ok) throw new SoundFailed('A backing could not be fetched.');
    this.addBacking(id, await this.decode(await response.arrayBuffer()), offset);
  }

  /** @throws SoundFailed when the browser cannot decode it */
  async decode(bytes: ArrayBuffer): Promise<AudioBuffer> {
    try {
      return await this.context.decodeAudioData(bytes);
    } catch {
      throw new SoundFailed('The browser cannot decode this file.');
    }
  }

  /** Puts decoded sound under the song. */
  addBacking(id: string, buffer: AudioBuffer, offset: Seconds): void {
    this.dropBacking(id);
    const gain = new GainNode(this.context);
    const pan = new StereoPannerNode(this.context);
    const meter = new AnalyserNode(this.context, { fftSize: 2048 });
    gain.connect(pan).connect(this.output);
    pan.connect(meter);
    this.#backings.set(id, { buffer, gain, pan, meter, sounding: buffer, speed: 1, offset, sources: new Map() });
  }

  dropBacking(id: string): void {
    const track = this.#backings.get(id);
    if (!track) return;
    this.#silence(track);
    track.gain.disconnect();
    track.pan.disconnect();
    this.#backings.delete(id);
  }

  /** Lets go of every backing: another song is opened. */
  dropBackings(): void {
    this.halt();
    for (const id of [...this.#backings.keys()]) this.dropBacking(id);
  }

  get backingIds(): string[] {
    return [...this.#backings.keys()];
  }

  /** A backing as decoded, for those who look into it. */
  backingBuffer(id: string): AudioBuffer | undefined {
    return this.#backings.get(id)?.buffer;
  }

  setBackingGain(id: string, gain: number, pan = 0): void {
    const track = this.#backings.get(id);
    track?.gain.gain.setTargetAtTime(gain, this.context.currentTime, 0.01);
    track?.pan.pan.setTargetAtTime(pan, this.context.currentTime, 0.01);
  }

  /** The loudest sample a channel has just sent out, 1 being full scale. */
  channelPeak(channel: number): number {
    return this.#channelPeaks[channel] ?? 0;
  }

  /** The loudest sample a backing has just sent out, 1 being full scale. */
  backingPeak(id: string): number {
    const track = this.#backings.get(id);
    if (!track?.sources.size) return 0;
    const samples = new Float32Array(track.meter.fftSize);
    track.meter.getFloatTimeDomainData(samples);
    return samples.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
  }

  /** Gets every backing ready to run at a speed, its pitch kept. Takes a tenth of the song's length or so. */
  async setSpeed(speed: number): Promise<void> {
    for (const track of this.#backings.values()) {
      if (track.speed === speed) continue;
      track.sounding = await timeStretched(track.buffer, speed);
      track.speed = speed;
    }
  }

  /** Ties a place in the song to a moment just ahead, at which everything can start together. */
  anchorAt(song: Seconds, speed: number): Anchor {
    return { context: this.context.currentTime + LEAD, song, speed };
  }

  /** Starts what was scheduled, and the backings in their spans. Takes the place of what was rolling. */
  roll(anchor: Anchor, spans: readonly Span[], events: readonly Scheduled[]): void {
    this.halt();
    this.schedule(events);
    this.rollOn(anchor, spans);
  }

  /** Lets the backings go on into spans that are still to come. */
  rollOn(anchor: Anchor, spans: readonly Span[]): void {
    for (const track of this.#backings.values()) for (const span of spans) this.#start(track, anchor, span);
  }

  /**
   * One span of a backing. Where laps meet, the one that ends gives way to the one that begins in the last few
   * milliseconds before the seam: no gap, no click, and the first stroke of the lap is whole.
   */
  #start(track: BackingTrack, anchor: Anchor, span: Span): void {
    if (track.sources.has(span.at) || track.speed !== anchor.speed) return;
    const own = anchorOf(anchor, span);
    // On whole frames, from where each lap lies: between frames the browser would interpolate, and dull the sound.
    const onFrame = (at: Seconds): Seconds => Math.round(at * this.context.sampleRate) / this.context.sampleRate;
    const begins = onFrame(contextTime(own, Math.max(span.from, track.offset)));
    const ends = onFrame(contextTime(own, span.to));
    const into = onFrame((Math.max(span.from, track.offset) - track.offset) / anchor.speed);
    if (into >= track.sounding.duration || begins >= ends) return;
    // A lap fades in ahead of its own start, over what lies before it in the file.
    const fade =
      span.lap > 0 && span.from >= track.offset
        ? onFrame(Math.min(SEAM_FADE, into, begins - this.context.currentTime))
        : 0;
    const source = new AudioBufferSourceNode(this.context, { buffer: track.sounding });
    const edge = new GainNode(this.context);
    source.connect(edge).connect(track.gain);
    if (fade > 0) edge.gain.setValueAtTime(0, begins - fade).linearRampToValueAtTime(1, begins);
    source.start(begins - Math.max(0, fade), into - Math.max(0, fade));
    if (ends < begins + track.sounding.duration - into) {
      edge.gain.setValueAtTime(1, ends - onFrame(SEAM_FADE)).linearRampToValueAtTime(0, ends);
      source.stop(ends);
    }
    source.onended = () => {
      source.disconnect();
      edge.disconnect();
      if (track.sources.get(span.at) === source) track.sources.delete(span.at);
    };
    track.sources.set(span.at, source);
  }

  #silence(track: BackingTrack): void {
    for (const source of track.sources.values()) source.stop();
    track.sources.clear();
  }

  /** Moves a backing against the song; while rolling it is heard in the spans from here on in its new place. */
  moveBacking(
    id: string,
    offset: Seconds,
    rolling: { readonly anchor: Anchor; readonly spans: readonly Span[] } | null,
  ): void {
    const track = this.#backings.get(id);
    if (!track || track.offset === offset) return;
    track.offset = offset;
    if (!rolling) return;
    this.#silence(track);
    for (const span of rolling.spans) this.#start(track, rolling.anchor, span);
  }

  /** Changes what is scheduled from now on; the backings roll on. */
  schedule(events: readonly Scheduled[]): void {
    this.#tell({ type: 'schedule', packed: packSchedule(events) });
  }

  halt(): void {
    this.schedule([]);
    for (const track of this.#backings.values()) this.#silence(track);
  }

  /** Asks the browser to let sound run; it may want a click or a key first. */
  async resume(): Promise<boolean> {
    if (this.context.state !== 'running') {
      // Before the first gesture the promise may never settle; after it, a cold audio device may take a second or two
      // to open.
      const patience = navigator.userActivation?.hasBeenActive ? PATIENCE : PATIENCE_UNASKED;
      await Promise.race([this.context.resume().catch(() => {}), new Promise((done) => setTimeout(done, patience))]);
    }
    return (this.context.state as AudioContextState) === 'running';
  }

  /** When a key was struck, on the render clock of the audio: heard time at the stamp, plus the output latency. */
  arrival(stamp: Milliseconds, output: Seconds): Seconds {
    return this.clock.heardAt(stamp) + output;
  }
}
