import { defineEventHandler } from 'h3';
import { revisionOf } from '../../../store/songs';
import { reading } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** Revision of a song, for pages that may have missed changes. */
export default defineEventHandler(async (event) => {
  const revision = await reading((db) => revisionOf(db, paramOf(event, 'id')));
  return { revision: revision ?? refuse(404, 'That song is not there.') };
});
