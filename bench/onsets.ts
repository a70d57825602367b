import { launch } from '../harness/browser';
import { startServer } from '../harness/server';
import { onsetErrors } from '../harness/onsets';
import { onDevice } from './device';
import { atMost, under, type Figure } from './figure';
import { sized } from './sizes';

const LATE = 40;

/** Timing of a 64-bar performance through the whole program in a browser, idle and busy. */
export async function onsetFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const figures: Figure[] = [];
    for (const busy of [false, true]) {
      const page = busy ? 'page kept busy' : 'page at rest';
      figures.push(
        ...(await onDevice(async () => {
          const { median, p99, clockP99, missing, dropouts } = await onsetErrors(browser, server, {
            bars: sized(64, 8),
            bpm: 240,
            lateness: LATE,
            busy,
          });
          return {
            dry: dropouts,
            figures: [
              under('onsets', `note to tick, ${page}, median`, median, 'ms', 0.5),
              under('onsets', `note to tick, ${page}, 99th percentile`, p99, 'ms', 2),
              under(
                'onsets',
                `note against the audio clock’s own readings, ${page}, 99th percentile`,
                clockP99,
                'ms',
                2,
              ),
              atMost('onsets', `notes lost, ${page}`, missing, 'notes', 0),
            ],
          };
        })),
      );
    }
    return figures;
  } finally {
    await browser.close();
    await server.end();
  }
}
