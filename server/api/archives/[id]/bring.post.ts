import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { WAYS } from '../../../archive/bring';
import { bringHeld } from '../../../archive/uploads';
import { database, dataFolder } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

const schema = z.object({ way: z.enum(WAYS) });

/** Imports the job of an uploaded archive. */
export default defineEventHandler(async (event) => {
  const { way } = await bodyOf(event, schema);
  const brought =
    (await bringHeld(await database(), dataFolder(), paramOf(event, 'id'), way)) ??
    refuse(404, 'That archive is not here any more. Nothing was changed; bring it in once more.');
  announceDesk();
  return brought;
});
