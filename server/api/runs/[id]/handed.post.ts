import { defineEventHandler } from 'h3';
import { handOver } from '../../../handover/runs';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { paramOf } from '../../../utils/requests';
import { answered } from '../../../utils/runs';

/** Remembers that a run's files go out as the song's next version. */
export default defineEventHandler(async (event) => {
  const run = await answered(handOver(await database(), paramOf(event, 'id')));
  // The Desk says how far a song is, and other windows of the song which version went out last.
  announceDesk();
  return run;
});
