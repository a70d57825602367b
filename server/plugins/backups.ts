import { defineNitroPlugin } from 'nitropack/runtime';
import { BackupSchedule } from '../store/backupSchedule';
import { serverTime } from '../store/layerFeeds';
import { database, dataFolder } from '../utils/data';

const LOOK_EVERY_MS = 10 * 60_000;
const HOUR_MS = 60 * 60_000;

/** Makes backups while the program runs. A failed one is tried again. */
export default defineNitroPlugin(() => {
  const schedule = new BackupSchedule(dataFolder(), database, HOUR_MS);
  const tryIt = (): void =>
    void schedule
      .look(serverTime(), new Date())
      .catch((error: unknown) => console.error('A backup was not made:', error));
  setTimeout(tryIt, 60_000).unref();
  setInterval(tryIt, LOOK_EVERY_MS).unref();
});
