import type { Frames, Milliseconds, Seconds } from '../../core/time/units';
import type { ToRecorder } from '../worklet/messages';
import { inputLatencyOf, openInput } from './input';
import { recorderOf } from './recorder';

/** Length of sound in one message, which bounds what a crash loses. */
const PIECE: Seconds = 0.125;
const LAST_PIECE: Milliseconds = 1000;

/** Open input, which can be monitored, and recorded any number of times. */
export class Capture {
  /** Input latency that the system reports. */
  readonly input: Seconds;
  readonly channels: number;
  readonly rate: number;
  readonly #context: AudioContext;
  readonly #source: AudioNode;
  readonly #meter: AnalyserNode;
  readonly #stream: MediaStream | null;

  private constructor(
    context: AudioContext,
    source: AudioNode,
    stream: MediaStream | null,
    input: Seconds,
    channels: number,
  ) {
    this.#context = context;
    this.#source = source;
    this.#stream = stream;
    this.#meter = new AnalyserNode(context, { fftSize: 2048 });
    source.connect(this.#meter);
    this.input = input;
    this.channels = channels;
    this.rate = context.sampleRate;
  }

  /**
   * @param context running, with the worklet's processors loaded
   * @param lost called when the input goes away
   * @throws InputFailed
   */
  static async open(context: AudioContext, device: string, channels: number, lost: () => void): Promise<Capture> {
    const stream = await openInput(device, channels);
    const source = new MediaStreamAudioSourceNode(context, { mediaStream: stream });
    stream.getAudioTracks().forEach((track) => track.addEventListener('ended', lost));
    return new Capture(context, source, stream, inputLatencyOf(stream), channels);
  }

  /** Instrument inside the audio graph, instead of one outside. */
  static of(context: AudioContext, source: AudioNode, channels: number, input: Seconds): Capture {
    return new Capture(context, source, null, input, channels);
  }

  /** Records into a port: pieces as `RecordedPiece`, and a message after the last. @returns a function that ends it */
  record(to: MessagePort): () => void {
    const piece: Frames = Math.round(PIECE * this.rate);
    const { node, nowhere } = recorderOf(this.#context, { channels: this.channels, piece });
    this.#source.connect(node);
    node.port.postMessage({ to } satisfies ToRecorder, [to]);
    return () => {
      node.port.postMessage('end' satisfies ToRecorder);
      // It is disconnected at its end, as only connected nodes run.
      setTimeout(() => {
        this.#source.disconnect(node);
        node.disconnect();
        nowhere.disconnect();
      }, LAST_PIECE);
    };
  }

  /** Peak that has just come in, 1 being full scale. */
  peak(): number {
    const samples = new Float32Array(this.#meter.fftSize);
    this.#meter.getFloatTimeDomainData(samples);
    return samples.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
  }

  /** Closes it: recordings of it go on as silence. */
  close(): void {
    this.#source.disconnect(this.#meter);
    this.#stream?.getTracks().forEach((track) => track.stop());
  }
}
