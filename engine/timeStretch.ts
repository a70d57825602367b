// @ts-expect-error The package ships no types; what we use of it is typed below.
import SignalsmithStretch from 'signalsmith-stretch';

/** Times in seconds. */
interface StretchNode extends AudioWorkletNode {
  configure(options: { readonly preset: 'default' | 'cheaper' }): Promise<void>;
  /** One array a channel, of one length. */
  addBuffers(channels: readonly Float32Array[]): Promise<number>;
  /** Speed change: from `output` on the context's clock the input is read from `input` at `rate`. */
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
 * @param speed 0.5 to 1; the outcome is 1 / speed times as long
 */
export async function timeStretched(buffer: AudioBuffer, speed: number): Promise<AudioBuffer> {
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
