import { open, type FileHandle } from 'node:fs/promises';
import type { Part } from '../../core/document/part';
import { onePreset, presetsOf, readTables, type BankPreset, type ByteSource } from '../../core/files/soundBank';
import { DamagedFile } from '../../core/files/damaged';
import { bankSoundOf } from '../../core/vocabulary/sounds';
import { audioExists } from './audio';
import type { Database } from './database';

/** Bytes of an open file. @throws DamagedFile where the file ends before what is asked for */
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

/** The sounds of a bank. @throws DamagedFile when it cannot be played */
export async function readPresets(path: string): Promise<BankPreset[]> {
  const file = await open(path);
  try {
    return presetsOf(await readTables(await sourceOf(file)));
  } finally {
    await file.close();
  }
}

/** One of a bank's sounds as a bank of its own, piece by piece. @throws DamagedFile */
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

/** @throws Error when a part's sound lies in a bank that is not here: another would go out unheard */
export async function checkBanks(db: Database, parts: readonly Part[]): Promise<void> {
  for (const { name, sound, heardAs } of parts) {
    const bank = heardAs === 'recorded' ? null : bankSoundOf(sound);
    if (bank && !(await audioExists(db, bank.hash)))
      throw new Error(
        `The sound bank of “${name}” (${bank.name}) is not here. Bring it in, or choose another sound for the part.`,
      );
  }
}
