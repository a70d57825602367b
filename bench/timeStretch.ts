import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { launch, open } from '../harness/browser';
import { startServer } from '../harness/server';
import { quantile, under, type Figure } from './figure';
import { sized, some } from './sizes';

/** Speeds and transpositions in semitones. */
const WAYS = [
  [0.9, 0],
  [0.75, 0],
  [0.5, 0],
  [1, 2],
  [1, -3],
  [1, 7],
  [0.75, -12],
  [0.75, 5],
] as const;
/** Frequencies of the notes whose pitch is measured, in Hz. */
const NOTES = some([110, 220, 440, 880]);
const SECONDS = sized(20, 4);

/** Error of strokes and pitch in a backing at another speed or key. */
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
    for (const [speed, semitones] of WAYS) {
      const off = (await page.evaluate(`(async () => {
        const { soundedAt } = await import('/stretch-under-test.js');
        const rate = 48000;
        const buffer = new AudioBuffer({ length: rate * ${SECONDS}, numberOfChannels: 2, sampleRate: rate });
        const strokes = [];
        for (let at = 0.3; at < ${SECONDS} - 0.5; at += 0.437) strokes.push(at);
        for (const at of strokes) for (let i = 0; i < 1500; i += 1) {
          const sample = 0.7 * Math.sin(i * 1.7 + Math.sin(i)) * Math.exp(-i / 200);
          for (let c = 0; c < 2; c += 1) buffer.getChannelData(c)[Math.round(at * rate) + i] += sample;
        }
        const slow = (await soundedAt(buffer, ${speed}, ${semitones})).getChannelData(0);
        return strokes.map((at) => {
          const middle = Math.round((at / ${speed}) * rate);
          let most = 0;
          for (let i = middle - 4800; i < middle + 4800; i += 1) most = Math.max(most, Math.abs(slow[i] || 0));
          let first = middle - 4800;
          while (Math.abs(slow[first] || 0) < 0.3 * most) first += 1;
          // In song time.
          return Math.abs(((first - middle) / rate) * ${speed}) * 1000;
        });
      })()`)) as number[];
      figures.push(
        under(
          'stretch',
          `strokes at ${speed * 100}% speed, ${semitones} semitones, 95th percentile of ${off.length}`,
          quantile(off, 0.95),
          'ms',
          2,
        ),
      );
    }
    const cents = (await page.evaluate(`(async () => {
      const { soundedAt } = await import('/stretch-under-test.js');
      const rate = 48000;
      const found = [];
      for (const hz of ${JSON.stringify(NOTES)}) for (const semitones of [-12, -5, -1, 1, 2, 7, 12]) {
        const buffer = new AudioBuffer({ length: rate * 6, numberOfChannels: 1, sampleRate: rate });
        buffer.getChannelData(0).forEach((_, i, all) => { all[i] = 0.5 * Math.sin(2 * Math.PI * hz * i / rate); });
        const out = (await soundedAt(buffer, 1, semitones)).getChannelData(0);
        const wanted = hz * 2 ** (semitones / 12);
        // Phase against a wave of the expected pitch in each window: its slope is the error.
        const width = 4800;
        let turned = 0, before = null, windows = 0;
        for (let at = rate; at + width < rate * 5; at += width) {
          let re = 0, im = 0;
          for (let i = 0; i < width; i += 1) {
            const w = 0.5 - 0.5 * Math.cos(2 * Math.PI * i / width);
            const angle = 2 * Math.PI * wanted * (at + i) / rate;
            re += w * out[at + i] * Math.cos(angle);
            im -= w * out[at + i] * Math.sin(angle);
          }
          const now = Math.atan2(im, re);
          if (before !== null) {
            turned += Math.atan2(Math.sin(now - before), Math.cos(now - before));
            windows += 1;
          }
          before = now;
        }
        const off = turned / (2 * Math.PI) / (windows * width / rate);
        found.push(Math.abs(1200 * Math.log2((wanted + off) / wanted)));
      }
      return found;
    })()`)) as number[];
    figures.push(
      under(
        'stretch',
        `pitch of what is transposed, at most, of ${cents.length} notes`,
        Math.max(...cents),
        'cents',
        2,
      ),
    );
    return figures;
  } finally {
    await browser.close();
    await server.end();
  }
}
