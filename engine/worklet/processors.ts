/** Code of the audio thread. It renders, and decides nothing. */
import { unpackSchedule } from './packedSchedule';
import { Instrument } from '../instrument/instrument';
import {
  INSTRUMENT,
  METER,
  RECORDER,
  type FromBank,
  type FromInstrument,
  type MeterReading,
  type RecordedPiece,
  type RecorderOptions,
  type RecorderSaid,
  type ToBank,
  type ToInstrument,
  type ToRecorder,
} from './messages';

declare const sampleRate: number;
declare const currentFrame: number;
declare function registerProcessor(name: string, processor: new (options: never) => AudioWorkletProcessor): void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}

/** Rate at which levels are sent to the page. */
const READINGS_A_SECOND = 20;

class InstrumentProcessor extends AudioWorkletProcessor {
  #instrument: Instrument | undefined;
  #waiting: ToInstrument[] = [];
  readonly #banks = new Map<string, MessagePort>();
  #nextPeaks = 0;
  /** True if the last peaks were zero: continued silence is not sent. */
  #silent = false;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<ToInstrument>) => this.#take(data);
  }

  #say(message: FromInstrument): void {
    this.port.postMessage(message);
  }

  #takeOfBank(instrument: Instrument, name: string, message: FromBank): void {
    if (message.type !== 'parts') {
      if (message.type === 'heads') instrument.begin(name, message.sounds);
      else instrument.give(name, message.sounds);
      return;
    }
    try {
      instrument.addBank(name, message.parts);
      this.#say({ type: 'bank here', name });
    } catch (error) {
      this.#say({ type: 'bank failed', name, reason: String(error) });
    }
  }

  #take(message: ToInstrument): void {
    if (message.type === 'bank') {
      Instrument.load(sampleRate, message.bytes).then(
        (instrument) => {
          this.#instrument = instrument;
          instrument.onWanted = (bank, samples) => this.#banks.get(bank)?.postMessage(samples satisfies ToBank);
          this.#say({ type: 'ready' });
          this.#waiting.splice(0).forEach((m) => this.#take(m));
        },
        (error: unknown) => this.#say({ type: 'failed', reason: String(error) }),
      );
      return;
    }
    const instrument = this.#instrument;
    if (!instrument) {
      this.#waiting.push(message);
      return;
    }
    switch (message.type) {
      case 'channel':
        instrument.setChannel(message.channel, message.setting);
        this.#say({ type: 'channel set', channel: message.channel });
        return;
      case 'further bank':
        this.#banks.set(message.name, message.from);
        message.from.onmessage = ({ data }: MessageEvent<FromBank>) => this.#takeOfBank(instrument, message.name, data);
        return;
      case 'drop bank':
        instrument.dropBank(message.name);
        this.#banks.get(message.name)?.close();
        this.#banks.delete(message.name);
        return;
      case 'level':
        instrument.setLevel(message.channel, message.level);
        return;
      case 'tuning':
        instrument.setTuning(message.cents);
        return;
      case 'click':
        instrument.setClick(message.sound, message.gain);
        return;
      case 'play':
        instrument.play(message.channel, message.message);
        return;
      case 'schedule':
        instrument.schedule(unpackSchedule(message.packed));
        return;
      case 'panic':
        instrument.panic();
    }
  }

  process(_: Float32Array[][], [output]: Float32Array[][]): boolean {
    const instrument = this.#instrument;
    if (!instrument) return true;
    instrument.render(output![0]!, output![1]!, currentFrame);
    if (currentFrame >= this.#nextPeaks) {
      const peaks = instrument.takePeaks();
      const silent = !peaks.some((p) => p > 0);
      if (!silent || !this.#silent) this.#say({ type: 'peaks', peaks });
      this.#silent = silent;
      this.#nextPeaks = currentFrame + sampleRate / READINGS_A_SECOND;
    }
    return true;
  }
}

/** Frames the browser renders at once. */
const QUANTUM = 128;

/** Decay of a held peak for each message, and the peak that counts as silence. */
const PEAK_FALL = 0.94;
const SILENCE = 0.001;

class MeterProcessor extends AudioWorkletProcessor {
  #peak = 0;
  #told = 0;
  #clips = 0;
  #next = 0;

  process([input]: Float32Array[][]): boolean {
    for (const channel of input ?? []) {
      for (const sample of channel) {
        const size = Math.abs(sample);
        if (size > this.#peak) this.#peak = size;
        if (size >= 1) this.#clips += 1;
      }
    }
    if (currentFrame >= this.#next) {
      const peak = this.#peak < SILENCE ? 0 : this.#peak;
      if (peak !== this.#told || this.#clips > 0)
        this.port.postMessage({ peak, clips: this.#clips } satisfies MeterReading);
      this.#told = peak;
      this.#peak = peak * PEAK_FALL;
      this.#clips = 0;
      this.#next = currentFrame + sampleRate / READINGS_A_SECOND;
    }
    return true;
  }
}

/** Sends its input in pieces, once it has a port. */
class RecorderProcessor extends AudioWorkletProcessor {
  readonly #channels: number;
  readonly #size: number;
  #samples: Float32Array;
  #filled = 0;
  #from = 0;
  #to: MessagePort | undefined;
  #ends = false;

  constructor({ processorOptions: { channels, piece } }: { processorOptions: RecorderOptions }) {
    super();
    this.#channels = channels;
    this.#size = Math.ceil(piece / QUANTUM) * QUANTUM * channels;
    this.#samples = new Float32Array(this.#size);
    this.port.onmessage = ({ data }: MessageEvent<ToRecorder>) => {
      if (data === 'end') this.#ends = true;
      else this.#to = data.to;
    };
  }

  #send(): void {
    if (this.#filled > 0) {
      const piece: RecordedPiece = { frame: this.#from, samples: this.#samples.slice(0, this.#filled) };
      this.#to!.postMessage(piece, [piece.samples.buffer]);
    }
    this.#filled = 0;
  }

  process([input]: Float32Array[][]): boolean {
    if (!this.#to) return !this.#ends;
    if (this.#ends) {
      this.#send();
      this.#to.postMessage('end' satisfies RecorderSaid);
      return false;
    }
    if (this.#filled === 0) this.#from = currentFrame;
    // Without a connection the input is silence, and frames count all the same.
    const size = input?.[0]?.length ?? QUANTUM;
    for (let c = 0; c < this.#channels; c += 1) {
      const side = input?.[c] ?? input?.[0];
      for (let i = 0; i < size; i += 1) this.#samples[this.#filled + i * this.#channels + c] = side?.[i] ?? 0;
    }
    this.#filled += size * this.#channels;
    if (this.#filled >= this.#size) this.#send();
    return true;
  }
}

registerProcessor(RECORDER, RecorderProcessor);
registerProcessor(INSTRUMENT, InstrumentProcessor);
registerProcessor(METER, MeterProcessor);
