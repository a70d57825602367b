/** The code that runs on the audio thread. It renders; it decides nothing. */
import { unpackSchedule } from './packedSchedule';
import { Instrument } from '../instrument/instrument';
import {
  INSTRUMENT,
  METER,
  RECORDER,
  type FromInstrument,
  type MeterReading,
  type RecordedPiece,
  type ToInstrument,
} from './messages';

declare const sampleRate: number;
declare const currentFrame: number;
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}

/** How often levels are told to the page. */
const READINGS_A_SECOND = 20;

class InstrumentProcessor extends AudioWorkletProcessor {
  #instrument: Instrument | undefined;
  #waiting: ToInstrument[] = [];
  #nextPeaks = 0;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<ToInstrument>) => this.#take(data);
  }

  #say(message: FromInstrument): void {
    this.port.postMessage(message);
  }

  #take(message: ToInstrument): void {
    if (message.type === 'bank') {
      Instrument.load(sampleRate, message.bytes).then(
        (instrument) => {
          this.#instrument = instrument;
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
        this.#say({ type: 'channel ready', channel: message.channel, program: message.setting.program });
        return;
      case 'gain':
        instrument.setGain(message.channel, message.gain);
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
      this.#say({ type: 'peaks', peaks: instrument.takePeaks() });
      this.#nextPeaks = currentFrame + sampleRate / READINGS_A_SECOND;
    }
    return true;
  }
}

/** Frames the browser renders at once. */
const QUANTUM = 128;

class MeterProcessor extends AudioWorkletProcessor {
  #peak = 0;
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
      const reading: MeterReading = { peak: this.#peak, clips: this.#clips };
      this.port.postMessage(reading);
      this.#peak = 0;
      this.#clips = 0;
      this.#next = currentFrame + sampleRate / READINGS_A_SECOND;
    }
    return true;
  }
}

/** How many samples are sent to the page at once. */
const PIECE = 4096;

class RecorderProcessor extends AudioWorkletProcessor {
  #piece = new Float32Array(PIECE);
  #filled = 0;
  #from = 0;

  process([input]: Float32Array[][]): boolean {
    const [channel] = input ?? [];
    if (this.#filled === 0) this.#from = currentFrame;
    // Nothing connected is silence: the frames still pass.
    const size = channel?.length ?? QUANTUM;
    if (channel) this.#piece.set(channel, this.#filled);
    this.#filled += size;
    if (this.#filled + size > PIECE) {
      const piece: RecordedPiece = { frame: this.#from, samples: this.#piece.slice(0, this.#filled) };
      this.port.postMessage(piece, [piece.samples.buffer]);
      this.#piece = new Float32Array(PIECE);
      this.#filled = 0;
    }
    return true;
  }
}

registerProcessor(RECORDER, RecorderProcessor);
registerProcessor(INSTRUMENT, InstrumentProcessor);
registerProcessor(METER, MeterProcessor);
