import { fitPulse, hear, type FoundPulse, type Heard, type PulseEdits } from '~~/core/backing/analysis';
import { isSilent, packPeaks, peakBuilder, type PeakBuilder } from '~~/core/backing/peaks';
import { strokesOf, type Mix, type Stroke } from '~~/core/backing/strokes';
import { mixDown, spectrumOfMix, type Spectrum } from '~~/core/backing/spectrum';
import { findTuning, type FoundTuning } from '~~/core/backing/tuning';
import { STARTED } from '~/workers/startedMessage';

/** Message from the page: sound in pieces, then a question about it. */
export type ToListener =
  | { readonly type: 'begin'; readonly sampleRate: number; readonly frames: number; readonly want: 'peaks' | 'beats' }
  | { readonly type: 'piece'; readonly channels: readonly Float32Array[] }
  | { readonly type: 'peaks' }
  | { readonly type: 'beats'; readonly edits: PulseEdits }
  | { readonly type: 'tuning' }
  | { readonly type: 'strokes' };

export type FromListener =
  | { readonly type: 'peaks'; readonly packed: Uint8Array; readonly silent: boolean }
  | { readonly type: 'beats'; readonly found: FoundPulse }
  | { readonly type: 'tuning'; readonly found: FoundTuning }
  /** Progress of the question, 0 to 1. */
  | { readonly type: 'progress'; readonly done: number }
  | { readonly type: 'strokes'; readonly strokes: readonly Stroke[] }
  | { readonly type: 'failed'; readonly reason: string };

/** Builder of the waveform; for beats the sound is mixed to mono instead, and its spectrum kept. */
let builder: PeakBuilder | undefined;
let mix: { samples: Float32Array; rate: number } | undefined;
let filled = 0;
let sampleRate = 1;
let spectrum: Spectrum | undefined;
let heard: Heard | undefined;

const whole = (): Mix => ({ rate: mix!.rate, samples: mix!.samples.subarray(0, filled) });
/** Share of the progress that the spectrum takes; the readings take the rest. */
const SPECTRUM = 0.6;
const tell = (done: number): void => postMessage({ type: 'progress', done } satisfies FromListener);
const spectrumHere = (): Spectrum => (spectrum ??= spectrumOfMix(whole(), (done) => tell(done * SPECTRUM)));
function heardHere(): Heard {
  const own = spectrumHere();
  if (!heard) tell(SPECTRUM);
  return (heard ??= hear(own));
}

function take(message: ToListener): FromListener | undefined {
  switch (message.type) {
    case 'begin': {
      ({ sampleRate } = message);
      if (message.want === 'peaks') builder = peakBuilder(sampleRate, message.frames);
      else {
        const { rate } = mixDown([new Float32Array(1)], sampleRate);
        mix = { samples: new Float32Array(Math.ceil((message.frames * rate) / sampleRate)), rate };
      }
      return undefined;
    }
    case 'piece': {
      builder?.add(message.channels);
      if (!mix) return undefined;
      const { samples } = mixDown(message.channels, sampleRate);
      mix.samples.set(samples.subarray(0, mix.samples.length - filled), filled);
      filled += samples.length;
      return undefined;
    }
    case 'peaks': {
      const peaks = builder!.done();
      return { type: 'peaks', packed: packPeaks(peaks), silent: isSilent(peaks) };
    }
    case 'beats':
      return { type: 'beats', found: fitPulse(heardHere(), message.edits) };
    case 'tuning':
      return { type: 'tuning', found: findTuning(whole(), tell) };
    case 'strokes':
      return { type: 'strokes', strokes: strokesOf(spectrumHere(), whole()) };
  }
}

onmessage = ({ data }: MessageEvent<ToListener>) => {
  try {
    const answer = take(data);
    if (answer) postMessage(answer);
  } catch (error) {
    postMessage({
      type: 'failed',
      reason: error instanceof Error ? error.message : String(error),
    } satisfies FromListener);
  }
};
postMessage(STARTED);
