import { defineEventHandler } from 'h3';
import { handOver } from '../../../handover/runs';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { paramOf } from '../../../utils/requests';
import { answered } from '../../../utils/runs';

/** Records that a run's files go out as the song's next version. */
export default defineEventHandler(async (event) => {
  const run = await answered(handOver(await database(), paramOf(event, 'id')));
  // The Desk shows the progress, and other windows the last version.
  announceDesk();
  return run;
});
