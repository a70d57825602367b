import { RECORDER, type RecorderOptions } from '../worklet/messages';

/** A node that sends on what comes in, once it is told by which port; see `ToRecorder`. */
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
  // A node that leads nowhere is not run.
  const nowhere = new GainNode(context, { gain: 0 });
  node.connect(nowhere).connect(context.destination);
  return { node, nowhere };
}
