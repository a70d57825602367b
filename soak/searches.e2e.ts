import { expect, it } from 'vitest';
import { brokenFiles } from './files';
import { pageKills } from './pageKills';
import { brokenRequests } from './requests';
import { serverKills } from './serverKills';
import { stems } from './stems';
import { windows } from './windows';

/** Short runs of what `npm run soak` runs long. */
const seed = 20_260_105;

it.each([
  ['the server killed under load', 4, 'changes', serverKills],
  ['the page killed in a pass', 2, 'due', (s: Parameters<typeof serverKills>[0]) => pageKills('page', s)],
  ['three windows on one song', 1, 'notes', windows],
  ['broken requests', 1, '422', brokenRequests],
  ['broken files', 120, 'archives', brokenFiles],
  ['sixteen stems, opened again and again', 1, 'openings', stems],
])('%s: nothing is found', async (_, runs, counted, of) => {
  const { faults, counts } = await of({ runs, seed, slowestMs: 60_000 });
  expect(faults).toEqual([]);
  expect(counts[counted]).toBeGreaterThan(0);
});
