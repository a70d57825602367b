import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { copySongOf } from '../../../store/copies';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { paramOf, refuse } from '../../../utils/requests';

/** Copies a song with everything that was played for it, in its job. */
export default defineEventHandler(async (event) => {
  const copy =
    (await copySongOf(await database(), paramOf(event, 'id'), randomUUID)) ?? refuse(404, 'That song is not there.');
  announceDesk();
  return copy;
});
