import { defineEventHandler } from 'h3';
import { makeBackup } from '../../store/backups';
import { database, dataFolder } from '../../utils/data';

/** Makes a backup now. */
export default defineEventHandler(async () => {
  await database();
  return makeBackup(dataFolder(), new Date());
});
