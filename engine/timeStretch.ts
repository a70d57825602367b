import { wavHeader, type WavFacts } from '../core/files/wav';
// @ts-expect-error The package ships no types; what we use of it is typed below.
import SignalsmithStretch from 'signalsmith-stretch';

/** Times in seconds. */
interface StretchNode extends AudioWorkletNode {
  configure(options: { readonly preset: 'default' | 'cheaper' }): Promise<void>;
  /** One array a channel, of one length. */
  addBuffers(channels: readonly Float32Array[]): Promise<number>;
  /** Speed change: from `output` on the context's clock, the input is read from `input` at `rate`. */
  schedule(change: {
    readonly output: number;
    readonly input: number;
    readonly rate: number;
    readonly active: boolean;
  }): Promise<void>;
}

const stretchNode = SignalsmithStretch as (
  context: BaseAudioContext,
  options: AudioWorkletNodeOptions,
) => Promise<StretchNode>;

/**
 * A buffer at another speed, its pitch kept. Rendered ahead of playing, off the page's thread; strokes land within a
 * millisecond of where they belong, which the package's shorter blocks do better than its longer ones.
 * @param speed 0.25 to 2; the outcome is 1 / speed times as long
 */
async function timeStretched(buffer: AudioBuffer, speed: number): Promise<AudioBuffer> {
  if (speed === 1) return buffer;
  const channels = buffer.numberOfChannels;
  const context = new OfflineAudioContext(channels, Math.ceil(buffer.length / speed), buffer.sampleRate);
  const node = await stretchNode(context, { numberOfInputs: 0, numberOfOutputs: 1, outputChannelCount: [channels] });
  await node.configure({ preset: 'cheaper' });
  await node.addBuffers(Array.from({ length: channels }, (_, i) => buffer.getChannelData(i)));
  await node.schedule({ output: 0, input: 0, rate: speed, active: true });
  node.connect(context.destination);
  return context.startRendering();
}

/**
 * Samples that are taken to be of one rate, at another. The browser's decoder resamples what it decodes, by a windowed
 * sinc and off the page's thread; what plays a buffer only draws lines between its samples.
 */
async function resampled(samples: Float32Array<ArrayBuffer>, from: number, to: number): Promise<Float32Array> {
  const facts = { channels: 1, rate: from, format: '32-bit float', description: '', at: '', reference: 0, markers: [] };
  const wav = new Blob([wavHeader(facts as WavFacts, samples.length) as Uint8Array<ArrayBuffer>, samples]);
  const context = new OfflineAudioContext(1, 1, to);
  return (await context.decodeAudioData(await wav.arrayBuffer())).getChannelData(0);
}

/**
 * A buffer at another speed and another pitch, each by itself. What is to sound higher is stretched by as much as it is
 * too low, and then read faster: the package's own transposition is off by up to nine cents, its stretching by none.
 * @param speed 0.5 to 1
 * @param semitones -12 to 12
 */
export async function soundedAt(buffer: AudioBuffer, speed: number, semitones: number): Promise<AudioBuffer> {
  if (semitones === 0) return timeStretched(buffer, speed);
  const { sampleRate, numberOfChannels } = buffer;
  const read = Math.round(sampleRate * 2 ** (semitones / 12));
  const long = await timeStretched(buffer, (speed * sampleRate) / read);
  const sides = await Promise.all(
    Array.from({ length: numberOfChannels }, (_, i) => resampled(long.getChannelData(i), read, sampleRate)),
  );
  const made = new AudioBuffer({ length: sides[0]!.length, numberOfChannels, sampleRate });
  sides.forEach((side, i) => made.copyToChannel(side as Float32Array<ArrayBuffer>, i));
  return made;
}
