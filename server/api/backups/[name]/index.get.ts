import { defineEventHandler } from 'h3';
import { songsInBackup } from '../../../store/restoring';
import { dataFolder } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** Songs in a backup. */
export default defineEventHandler(
  async (event) =>
    (await songsInBackup(dataFolder(), paramOf(event, 'name'))) ?? refuse(404, 'That backup is not there any more.'),
);
