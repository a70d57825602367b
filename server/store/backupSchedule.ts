import type { Milliseconds } from '../../core/time/units';
import { listBackups, makeBackup, thinBackups } from './backups';
import type { Database } from './database';

/** Counters of the last change of songs, and the last recording. */
async function lastChange(db: Database): Promise<string> {
  const rows = await db.raw<Record<string, number | null>[]>(
    'select (select max(rowid) from song_changes) as changes, (select max(rowid) from layers) as layers, ' +
      '(select max(rowid) from recordings) as recordings, (select max(rowid) from songs) as songs',
  );
  return JSON.stringify(rows[0]);
}

/** Backs up changes at intervals, by a monotonic clock. @param every least interval between two backups */
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
   * Makes a backup if one is due.
   * @param now by a monotonic clock
   * @param day wall clock, for the backup's name, and for the age of backups from before this start
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
