import { defineNitroPlugin } from 'nitropack/runtime';
import { listBackups, makeBackup, thinBackups } from '../store/backups';
import { database, dataFolder } from '../utils/data';

const LOOK_EVERY_MS = 10 * 60_000;
const HOUR_MS = 60 * 60_000;

/** When the newest change of anything was made, as far as the songs tell. */
async function lastChange(): Promise<number> {
  const row = await (await database())('song_changes').max('made_at as at').first<{ at: string | null }>();
  return row?.at ? Date.parse(row.at) : 0;
}

/** Backs up what has changed, an hour after the last backup at the earliest. */
async function look(): Promise<void> {
  const now = new Date();
  const [newest] = await listBackups(dataFolder());
  const last = newest ? Date.parse(newest.at) : 0;
  if (now.getTime() - last < HOUR_MS || (await lastChange()) <= last) return;
  await makeBackup(dataFolder(), now);
  await thinBackups(dataFolder(), now);
}

/** Makes backups by itself, while the program runs. One that fails is tried again; nobody waits for it. */
export default defineNitroPlugin(() => {
  const tryIt = (): void => void look().catch((error: unknown) => console.error('A backup was not made:', error));
  setTimeout(tryIt, 60_000).unref();
  setInterval(tryIt, LOOK_EVERY_MS).unref();
});
