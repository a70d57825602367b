import type { Milliseconds } from '../../core/time/units';
import { listBackups, makeBackup, thinBackups } from './backups';
import type { Database } from './database';

/** The number of the last change of anything, as far as songs tell, and of the last thing recorded. */
async function lastChange(db: Database): Promise<string> {
  const rows = await db.raw<Record<string, number | null>[]>(
    'select (select max(rowid) from song_changes) as changes, (select max(rowid) from layers) as layers, ' +
      '(select max(rowid) from recordings) as recordings, (select max(rowid) from songs) as songs',
  );
  return JSON.stringify(rows[0]);
}

/**
 * Backs up what has changed, again and again, as an hour goes by on a clock that only goes on.
 * @param every how much of that lies between two at the least
 */
export class BackupSchedule {
  readonly #folder: string;
  readonly #db: () => Promise<Database>;
  readonly #every: Milliseconds;
  #made: Milliseconds | null = null;
  #of = '';

  constructor(folder: string, db: () => Promise<Database>, every: Milliseconds) {
    this.#folder = folder;
    this.#db = db;
    this.#every = every;
  }

  /**
   * Makes a backup where one is due.
   * @param now by a clock that only goes on
   * @param day the day's clock: it names the backup, and of one from before this program began it says how old it is
   */
  async look(now: Milliseconds, day: Date): Promise<void> {
    const [newest] = await listBackups(this.#folder);
    const change = await lastChange(await this.#db());
    const age = day.getTime() - Date.parse(newest?.at ?? '');
    const isRecent = this.#made === null ? age >= 0 && age < this.#every : now - this.#made < this.#every;
    if (isRecent || change === this.#of) return;
    await makeBackup(this.#folder, day);
    this.#made = now;
    this.#of = change;
    await thinBackups(this.#folder);
  }
}
