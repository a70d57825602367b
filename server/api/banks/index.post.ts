import { createReadStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { DamagedFile } from '../../../core/files/damaged';
import { MEDIA_TYPES } from '../../../core/files/sound';
import { keptName } from '../../../core/kept/kept';
import { audioFile, dropAudio, storeAudio, type StoredFile } from '../../store/audio';
import { listBank } from '../../store/banks';
import { readKept, TooManyKept } from '../../store/kept';
import { inWorkers } from '../../handover/workers';
import { database, dataFolder } from '../../utils/data';
import { bodyOf, refuse } from '../../utils/requests';

const bodySchema = z.object({ name: keptName, hash: z.string().regex(/^[0-9a-f]{64}$/) });

const BANK_TYPES: readonly string[] = [MEDIA_TYPES.sf2, MEDIA_TYPES.dls];

/**
 * Hash of a Downloadable Sounds bank after its conversion to a bank that is read piece by piece.
 * @throws DamagedFile
 */
async function converted({ path }: StoredFile): Promise<string> {
  const folder = await mkdtemp(join(tmpdir(), 'tall-kettle-bank-'));
  try {
    const to = join(folder, 'bank.sf2');
    await inWorkers([{ type: 'bank', path, to }], new AbortController().signal).catch((error: unknown) => {
      // System errors, such as a full disk, say nothing about the bank.
      if ((error as NodeJS.ErrnoException).code) throw error;
      throw new DamagedFile((error as Error).message);
    });
    return (await storeAudio(await database(), dataFolder(), createReadStream(to))).hash;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/**
 * Lists a sound bank uploaded to `/api/audio`, with its sounds. Answers with all banks; 422 for a file that is damaged
 * or no bank, which is then deleted.
 */
export default defineEventHandler(async (event) => {
  const { name, hash } = await bodyOf(event, bodySchema);
  const db = await database();
  const sent = (await audioFile(db, dataFolder(), hash)) ?? refuse(404, 'That file is not in the data folder.');
  if (!BANK_TYPES.includes(sent.type)) return refuse(422, 'This is not a sound bank (SF2, SF3 or DLS).');
  try {
    const isDls = sent.type === MEDIA_TYPES.dls;
    await listBank(db, dataFolder(), isDls ? await converted(sent) : hash, name);
    if (isDls) await dropAudio(db, dataFolder(), hash);
    return readKept(db, 'banks');
  } catch (error) {
    if (error instanceof TooManyKept) return refuse(422, error.message);
    if (!(error instanceof DamagedFile)) throw error;
    await dropAudio(db, dataFolder(), hash);
    return refuse(422, error.message);
  }
});
