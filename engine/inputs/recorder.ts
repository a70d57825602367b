import { RECORDER, type RecorderOptions } from '../worklet/messages';

/** Node that sends its input through a port, once it has one; see `ToRecorder`. */
export function recorderOf(
  context: AudioContext,
  options: RecorderOptions,
): { readonly node: AudioWorkletNode; readonly nowhere: GainNode } {
  const node = new AudioWorkletNode(context, RECORDER, {
    numberOfOutputs: 1,
    channelCount: options.channels,
    channelCountMode: 'explicit',
    processorOptions: options,
  });
  // Only connected nodes run.
  const nowhere = new GainNode(context, { gain: 0 });
  node.connect(nowhere).connect(context.destination);
  return { node, nowhere };
}
