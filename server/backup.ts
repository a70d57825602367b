/** `backup.ts FROM TO`: see `scripts/backup.mjs`. */
import { many } from '../core/vocabulary/many';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { backUpTo } from './store/backups';

const [from, to] = process.argv.slice(2) as [string, string];
if (!existsSync(join(from, 'tall-kettle.sqlite'))) {
  console.error(`There is nothing to back up in ${from}. Name the folder with TALL_KETTLE_DATA.`);
  process.exit(1);
}
try {
  const copied = await backUpTo(from, to);
  console.log(`Backed up to ${to}: the database, and ${many(copied, 'file')} of audio beside what was there.`);
} catch (error) {
  console.error(`The backup was not made: ${(error as Error).message} What was there before is as it was.`);
  process.exit(1);
}
