import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { makeBackup } from '../../../store/backups';
import { bringBackSong, songsInBackup } from '../../../store/restoring';
import { bringBackWhole, database, dataFolder } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

const schema = z.object({ song: z.string().min(1).max(200).nullable() });

/** Restores a song beside the present ones; without a song, the whole database, after a backup of its present state. */
export default defineEventHandler(async (event) => {
  const { song } = await bodyOf(event, schema);
  const name = paramOf(event, 'name');
  const folder = dataFolder();
  if (song === null) {
    // Titles of unreadable songs do not count as taken.
    if (!(await songsInBackup(folder, name))) refuse(404, 'That backup is not there any more.');
    const before = await makeBackup(folder, new Date());
    await bringBackWhole(name);
    announceDesk();
    return { before: before.name };
  }
  const id =
    (await bringBackSong(await database(), folder, name, song, randomUUID, new Date())) ??
    refuse(404, 'That song is not in the backup.');
  announceDesk();
  return { id };
});
