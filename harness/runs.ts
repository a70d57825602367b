import { USUAL_DELIVERY, type Delivery } from '../core/handover/delivery';
import type { Run } from '../server/handover/runs';
import { post, put, readSong, until } from './server';

/** Run of a song's files that has ended, ready or failed. */
export const endedRun = (address: string, runId: string, within?: number): Promise<Run> =>
  until(async () => {
    const run = (await (await fetch(`${address}/api/runs/${runId}`)).json()) as Run;
    return run.state !== 'making' && run;
  }, within);

/**
 * Makes a song's files.
 * @param delivery settings that differ from the default
 * @param within time limit in milliseconds
 */
export async function madeFiles(
  address: string,
  songId: string,
  delivery: Partial<Delivery>,
  within?: number,
): Promise<Run> {
  const { jobId, revision } = await readSong(address, songId);
  await put(address, `/api/jobs/${jobId}/delivery`, { ...USUAL_DELIVERY, ...delivery });
  const { id } = await post<Run>(address, `/api/songs/${songId}/runs`, { revision, which: 'all' });
  return endedRun(address, id, within);
}
