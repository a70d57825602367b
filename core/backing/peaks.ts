import type { Seconds } from '../time/units';

/** How long a stretch each peak stands for. */
export const PEAK_EVERY: Seconds = 0.1;

/** The loudest sample of each tenth of a second over all channels, 0 to 1, with three digits. */
export function wavePeaks(channels: readonly Float32Array[], sampleRate: number): number[] {
  const frames = channels[0]?.length ?? 0;
  const step = Math.round(PEAK_EVERY * sampleRate);
  const peaks: number[] = [];
  for (let from = 0; from < frames; from += step) {
    let most = 0;
    for (const channel of channels) {
      for (let i = from; i < Math.min(frames, from + step); i += 1) most = Math.max(most, Math.abs(channel[i]!));
    }
    peaks.push(Math.round(Math.min(1, most) * 1000) / 1000);
  }
  return peaks;
}
