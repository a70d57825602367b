import {
  LONGEST_DELAY,
  LOOP_EVERY,
  LOOP_STROKES,
  loopStroke,
  readLoop,
  type LoopOutcome,
} from '../../core/placement/loopTest';
import type { Decibels, Frames, Milliseconds, Seconds } from '../../core/time/units';
import { gainFromDecibels } from '../../core/time/units';
import { InputFailed, inputLatencyOf, openInput } from '../inputs/input';
import { recorderOf } from '../inputs/recorder';
import type { RecordedPiece, RecorderSaid, ToRecorder } from '../worklet/messages';

/** Simulated cable from output to input: a known delay inside the audio graph. */
export interface LoopCable {
  readonly type: 'cable';
  readonly delay: Milliseconds;
  readonly gain: Decibels;
  /** Level of added noise. */
  readonly noise: Decibels;
}
export type WayBack = LoopCable | { readonly type: 'microphone' };

export interface LoopResult {
  /** Kind of device that was measured: the audio device, or the simulated cable. */
  readonly back: WayBack['type'];
  readonly outcome: LoopOutcome;
  /** Input latency that the system reports, if any. */
  readonly input: Seconds;
}

const LEAD: Seconds = 0.3;
/** Number of frames in one message of the recorder. */
const PIECE: Frames = 4096;

/** Looped noise of one second. */
function noiseOf(context: AudioContext, level: Decibels): AudioBufferSourceNode {
  const buffer = new AudioBuffer({ length: context.sampleRate, sampleRate: context.sampleRate });
  const samples = buffer.getChannelData(0);
  // Uniform noise between -1 and 1 has an RMS of 1/√3.
  const scale = gainFromDecibels(level) * Math.sqrt(3);
  for (let i = 0; i < samples.length; i += 1) samples[i] = (2 * Math.random() - 1) * scale;
  return new AudioBufferSourceNode(context, { buffer, loop: true });
}

/**
 * Sends strokes out, records what comes back, and finds them in it. Takes some six seconds.
 * @param context running, with the worklet's processors loaded
 * @throws InputFailed when there is no microphone, or it goes away in the middle
 */
export async function runLoop(context: AudioContext, back: WayBack): Promise<LoopResult> {
  const { sampleRate } = context;
  const stream = back.type === 'microphone' ? await openInput() : null;
  const { node: recorder, nowhere } = recorderOf(context, { channels: 1, piece: PIECE });
  const pieces: RecordedPiece[] = [];
  const { port1, port2 } = new MessageChannel();
  port1.onmessage = ({ data }: MessageEvent<RecorderSaid>) => {
    if (data !== 'end') pieces.push(data);
  };
  recorder.port.postMessage({ to: port2 } satisfies ToRecorder, [port2]);
  const strokes = new GainNode(context);
  const made: AudioNode[] = [recorder, nowhere, strokes];
  const sources: AudioScheduledSourceNode[] = [];
  let lost = false;
  if (back.type === 'cable') {
    const delay = new DelayNode(context, { maxDelayTime: LONGEST_DELAY + 0.1, delayTime: back.delay / 1000 });
    const gain = new GainNode(context, { gain: gainFromDecibels(back.gain) });
    strokes.connect(delay).connect(gain).connect(recorder);
    const noise = noiseOf(context, back.noise);
    noise.connect(recorder);
    noise.start();
    sources.push(noise);
    made.push(delay, gain);
  } else {
    const source = new MediaStreamAudioSourceNode(context, { mediaStream: stream! });
    source.connect(recorder);
    made.push(source);
    stream!.getAudioTracks().forEach((track) =>
      track.addEventListener('ended', () => {
        lost = true;
      }),
    );
    strokes.connect(context.destination);
  }
  const samples = loopStroke(sampleRate);
  const buffer = new AudioBuffer({ length: samples.length, sampleRate });
  buffer.copyToChannel(Float32Array.from(samples), 0);
  const first: Frames = Math.round((context.currentTime + LEAD) * sampleRate);
  const sent = Array.from({ length: LOOP_STROKES }, (_, i) => first + Math.round(i * LOOP_EVERY * sampleRate));
  for (const frame of sent) {
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(strokes);
    source.start(frame / sampleRate);
    sources.push(source);
  }
  const end = sent.at(-1)! / sampleRate + LONGEST_DELAY + 0.2;
  try {
    while (context.currentTime < end && !lost && context.state === 'running')
      await new Promise((wait) => setTimeout(wait, 50));
  } finally {
    sources.forEach((s) => s.stop());
    recorder.port.postMessage('end' satisfies ToRecorder);
    made.forEach((node) => node.disconnect());
    port1.close();
  }
  const input = stream ? inputLatencyOf(stream) : 0;
  stream?.getTracks().forEach((track) => track.stop());
  if (lost)
    throw new InputFailed(
      'The microphone went away in the middle of the test. Nothing was stored. Plug it in again, then try again.',
    );
  if (context.state !== 'running')
    throw new InputFailed('The browser paused the sound in the middle of the test. Nothing was stored; try again.');
  const start = pieces[0]?.frame ?? 0;
  const recording = new Float32Array(pieces.reduce((most, p) => Math.max(most, p.frame - start + p.samples.length), 0));
  for (const { frame, samples: piece } of pieces) recording.set(piece, frame - start);
  return {
    back: back.type,
    outcome: readLoop(
      recording,
      sampleRate,
      sent.map((f) => f - start),
    ),
    input,
  };
}
