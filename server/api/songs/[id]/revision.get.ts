import { defineEventHandler } from 'h3';
import { revisionOf } from '../../../store/songs';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** Which revision a song has: asked by a page that may have missed some. */
export default defineEventHandler(async (event) => {
  const revision = await revisionOf(await database(), paramOf(event, 'id'));
  return { revision: revision ?? refuse(404, 'That song is not there.') };
});
