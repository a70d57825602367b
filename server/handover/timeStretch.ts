import { ConverterType, create } from '@alexanderolsen/libsamplerate-js';
import type { Frames } from '../../core/time/units';

/** The browser's time stretcher, which is written for an audio thread, in a thread of Node. */
interface Stretcher {
  readonly port: { onmessage(event: { readonly data: readonly unknown[] }): void };
  process(inputs: readonly Float32Array[][], outputs: readonly Float32Array[][]): boolean;
}
type StretcherClass = new (options: {
  readonly numberOfInputs: number;
  readonly numberOfOutputs: number;
  readonly outputChannelCount: readonly number[];
}) => Stretcher;

/** Frames in a quantum of an audio thread. */
const QUANTUM: Frames = 128;

/** Globals of an audio thread that the package needs. */
interface AudioThread {
  AudioWorkletProcessor: unknown;
  registerProcessor: (name: string, made: StretcherClass) => void;
  sampleRate: number;
  currentTime: number;
}
const thread = globalThis as unknown as AudioThread;

let loading: Promise<StretcherClass> | undefined;
/** Sender of each stretcher's ready message. */
let ready: () => void = () => {};

/** Processor class of the package, loaded into a thread without other work. */
function stretcherClass(): Promise<StretcherClass> {
  loading ??= new Promise((found, failed) => {
    thread.AudioWorkletProcessor = class {
      port = {
        postMessage: ([word]: readonly unknown[]): void => {
          if (word === 'ready') ready();
        },
        onmessage: null,
      };
    };
    thread.registerProcessor = (_, made) => found(made);
    // @ts-expect-error The package ships no types.
    import('signalsmith-stretch').catch(failed);
  });
  return loading;
}

/** Sound at another speed with its pitch kept, 1 / speed times as long; one at a time in a thread. */
async function stretched(
  sides: readonly Float32Array[],
  rate: number,
  speed: number,
): Promise<Float32Array<ArrayBuffer>[]> {
  const Made = await stretcherClass();
  thread.sampleRate = rate;
  thread.currentTime = 0;
  const isReady = new Promise<void>((done) => {
    ready = done;
  });
  const own = new Made({ numberOfInputs: 0, numberOfOutputs: 1, outputChannelCount: [sides.length] });
  await isReady;
  const tell = (...words: unknown[]): void => own.port.onmessage({ data: [0, ...words] });
  tell('configure', { preset: 'cheaper' });
  tell('addBuffers', [...sides]);
  tell('schedule', { output: 0, input: 0, rate: speed, active: true });
  const length = Math.ceil(sides[0]!.length / speed);
  const out = sides.map(() => new Float32Array(length));
  const block = sides.map(() => new Float32Array(QUANTUM));
  for (let at = 0; at < length; at += QUANTUM) {
    thread.currentTime = at / rate;
    own.process([[]], [block]);
    out.forEach((side, i) => side.set(block[i]!.subarray(0, Math.min(QUANTUM, length - at)), at));
  }
  return out;
}

/**
 * Sound so many semitones higher, as long as it was, at a rate of its own or another. As in the browser it is stretched
 * by as much as it is too low, and then read faster.
 * @param sides one array a channel, of one length
 */
export async function transposedSides(
  sides: readonly Float32Array[],
  from: number,
  semitones: number,
  to = from,
): Promise<Float32Array[]> {
  const read = Math.round(from * 2 ** (semitones / 12));
  const long = await stretched(sides, from, from / read);
  const made: Float32Array[] = [];
  for (const side of long) {
    const converter = await create(1, read, to, { converterType: ConverterType.SRC_SINC_MEDIUM_QUALITY });
    try {
      // Results are in memory that is reused.
      made.push(Float32Array.from(converter.simple(side)));
    } finally {
      converter.destroy();
    }
  }
  return made;
}
