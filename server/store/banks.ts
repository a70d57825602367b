import { open, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import type { Part } from '../../core/document/part';
import { soundsOf } from '../../core/document/sounds';
import { onePreset, presetsOf, readTables, type BankPreset, type ByteSource } from '../../core/files/soundBank';
import { DamagedFile } from '../../core/files/damaged';
import { bankSoundOf } from '../../core/vocabulary/sounds';
import { audioFile, audioFolder } from './audio';
import type { Database } from './database';
import { keepNamed, readKept } from './kept';

/** Bytes of an open file. @throws DamagedFile where the file is too short */
async function sourceOf(file: FileHandle): Promise<ByteSource> {
  const { size } = await file.stat();
  return {
    size,
    async read(from, length) {
      const bytes = Buffer.alloc(length);
      const { bytesRead } = await file.read(bytes, 0, length, from);
      if (bytesRead < length) throw new DamagedFile('The sound bank is cut short.');
      return bytes;
    },
  };
}

/**
 * Lists a stored bank under a unique name.
 * @param name the bank's own where it is empty
 * @throws DamagedFile for an unplayable bank; TooManyKept
 */
export async function listBank(db: Database, dataFolder: string, hash: string, name = ''): Promise<void> {
  const file = await open(join(audioFolder(dataFolder), hash));
  try {
    const source = await sourceOf(file);
    const tables = await readTables(source);
    const others = (await readKept(db, 'banks')).filter(({ value }) => value.hash !== hash).map((b) => b.name);
    const own = name || tables.name || 'Bank';
    let free = own;
    for (let n = 2; others.includes(free); n += 1) free = `${own} ${n}`;
    await keepNamed(db, 'banks', { name: free, value: { hash, bytes: source.size, presets: presetsOf(tables) } });
  } finally {
    await file.close();
  }
}

/** Extracts a sound of a bank as a bank of its own, piece by piece. @throws DamagedFile */
export async function* readOnePreset(
  path: string,
  wanted: Pick<BankPreset, 'bank' | 'program'>,
): AsyncGenerator<Uint8Array> {
  const file = await open(path);
  try {
    const source = await sourceOf(file);
    yield* onePreset(source, await readTables(source), wanted);
  } finally {
    await file.close();
  }
}

/** @throws Error where a part's bank is missing, as it would go out with another sound */
export async function checkBanks(db: Database, dataFolder: string, parts: readonly Part[]): Promise<void> {
  for (const part of parts.filter((p) => p.heardAs === 'program')) {
    for (const bank of soundsOf(part).flatMap((s) => bankSoundOf(s) ?? [])) {
      if (await audioFile(db, dataFolder, bank.hash)) continue;
      throw new Error(
        `The sound bank of “${part.name}” (${bank.name}) is not here. ` +
          'Bring it in, or choose another sound for the part.',
      );
    }
  }
}
