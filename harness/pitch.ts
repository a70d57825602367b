import type { Page } from 'playwright-core';
import { WaveFile } from 'wavefile';
import { madeFiles } from './runs';

const RATE = 48_000;

/** Frequency of a key in hertz. */
export const keyPitch = (key: number): number => 440 * 2 ** ((key - 69) / 12);

/** Frequency at which a held middle A is loudest, once it is heard. */
export const heardPitch = (page: Page): Promise<number> =>
  page.evaluate(`(async () => {
    const { output, context } = tallKettle.engine();
    const analyser = new AnalyserNode(context, { fftSize: 32768, smoothingTimeConstant: 0 });
    output.connect(analyser);
    const bins = new Float32Array(analyser.frequencyBinCount);
    midiSend([0x90, 69, 100]);
    const until = context.currentTime + 1.2;
    while (context.currentTime < until) await new Promise((next) => setTimeout(next, 30));
    analyser.getFloatFrequencyData(bins);
    midiSend([0x80, 69, 64]);
    const at = bins.indexOf(Math.max(...bins));
    return Math.max(...bins) > -90 ? (at * context.sampleRate) / analyser.fftSize : 0;
  })()`) as Promise<number>;

/** Frequency of the pure wave at the beginning of a song's first file, from its zero crossings. */
export async function bouncedPitch(address: string, song: string): Promise<number> {
  const run = await madeFiles(address, song, { midi: 'none', sheets: false });
  if (run.state !== 'ready') throw new Error(`The run is ${run.state}: ${run.trouble ?? ''}`);
  const sent = await fetch(`${address}/api/runs/${run.id}/files/0`);
  const wave = new WaveFile(Buffer.from(await sent.arrayBuffer()));
  wave.toBitDepth('32f');
  const [left] = wave.getSamples(false, Float32Array) as unknown as [Float32Array];
  let crossings = 0;
  for (let i = 0.1 * RATE; i < 0.4 * RATE; i += 1) if (left[i]! > 0 !== left[i + 1]! > 0) crossings += 1;
  return crossings / 0.6;
}
