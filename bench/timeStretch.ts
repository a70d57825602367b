import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { launch, open } from '../e2e/browser';
import { startServer } from '../e2e/server';
import { quantile, under, type Figure } from './figure';

const SPEEDS = [0.9, 0.75, 0.5];
const SECONDS = 20;

/** Strokes in a backing that runs slower: how far they lie from where the bars have them. */
export async function timeStretchFigures(): Promise<Figure[]> {
  const entry = fileURLToPath(new URL('../engine/timeStretch.ts', import.meta.url));
  const { outputFiles } = await build({
    entryPoints: [entry],
    bundle: true,
    format: 'esm',
    write: false,
    logLevel: 'silent',
  });
  const server = await startServer();
  const browser = await launch();
  try {
    const { page } = await open(browser, server.address);
    await page.route('**/stretch-under-test.js', (route) =>
      route.fulfill({ contentType: 'text/javascript', body: outputFiles[0]!.text }),
    );
    const figures: Figure[] = [];
    for (const speed of SPEEDS) {
      const off = (await page.evaluate(`(async () => {
        const { timeStretched } = await import('/stretch-under-test.js');
        const rate = 48000;
        const buffer = new AudioBuffer({ length: rate * ${SECONDS}, numberOfChannels: 2, sampleRate: rate });
        const strokes = [];
        for (let at = 0.3; at < ${SECONDS} - 0.5; at += 0.437) strokes.push(at);
        for (const at of strokes) for (let i = 0; i < 1500; i += 1) {
          const sample = 0.7 * Math.sin(i * 1.7 + Math.sin(i)) * Math.exp(-i / 200);
          for (let c = 0; c < 2; c += 1) buffer.getChannelData(c)[Math.round(at * rate) + i] += sample;
        }
        const slow = (await timeStretched(buffer, ${speed})).getChannelData(0);
        return strokes.map((at) => {
          const middle = Math.round((at / ${speed}) * rate);
          let most = 0;
          for (let i = middle - 4800; i < middle + 4800; i += 1) most = Math.max(most, Math.abs(slow[i] || 0));
          let first = middle - 4800;
          while (Math.abs(slow[first] || 0) < 0.3 * most) first += 1;
          // Of the song's own time.
          return Math.abs(((first - middle) / rate) * ${speed}) * 1000;
        });
      })()`)) as number[];
      figures.push(
        under(
          'stretch',
          `strokes at ${speed * 100}% speed against their bars, 95th percentile of ${off.length}`,
          quantile(off, 0.95),
          'ms',
          2,
        ),
      );
    }
    return figures;
  } finally {
    await browser.close();
    await server.end();
  }
}
