import type { Figure } from './figure';
import { sized } from './sizes';

/** Number of repetitions of a figure when the audio device ran dry. */
const TRIES = sized(3, 1);
/** Number of dropouts above which a figure is void. */
const MOST_DROPOUTS = 4;

/**
 * Takes figures on the machine's own audio device: again where it ran dry, the best of the tries. They say how often it
 * did;
 * where that was too often every time, they are told as not measured.
 * @param take the figures, and how often the device ran dry while they were taken
 */
export async function onDevice(
  take: () => Promise<{ readonly figures: readonly Figure[]; readonly dry: number }>,
): Promise<Figure[]> {
  let best = await take();
  for (let tries = 1; tries < TRIES && best.dry > 0; tries += 1) {
    const next = await take();
    if (next.dry < best.dry) best = next;
  }
  const { dry, figures } = best;
  if (dry === 0) return [...figures];
  const words = `the audio device ran dry ${dry} times`;
  return figures.map((figure) =>
    dry > MOST_DROPOUTS ? { ...figure, notMeasured: words } : { ...figure, name: `${figure.name} (${words})` },
  );
}
