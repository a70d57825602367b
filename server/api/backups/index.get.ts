import { defineEventHandler } from 'h3';
import { listBackups } from '../../store/backups';
import { diskUse } from '../../store/diskUse';
import { dataFolder, reading } from '../../utils/data';

/** The backups, the newest first, and what lies on the disk. */
export default defineEventHandler(async () => ({
  folder: dataFolder(),
  backups: await listBackups(dataFolder()),
  disk: await reading((db) => diskUse(db, dataFolder())),
}));
