import { defineEventHandler } from 'h3';
import { listBackups } from '../../store/backups';
import { diskUse } from '../../store/diskUse';
import { dataFolder, reading } from '../../utils/data';

/** Backups, the newest first, and the use of the disk. */
export default defineEventHandler(async () => ({
  folder: dataFolder(),
  backups: await listBackups(dataFolder()),
  disk: await reading((db) => diskUse(db, dataFolder())),
}));
