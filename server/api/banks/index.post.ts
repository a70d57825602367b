import { createReadStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { DamagedFile } from '../../../core/files/damaged';
import { MEDIA_TYPES } from '../../../core/files/sound';
import { keptName } from '../../../core/kept/kept';
import { audioFile, storeAudio, type StoredFile } from '../../store/audio';
import { listBank } from '../../store/banks';
import { readKept, TooManyKept } from '../../store/kept';
import { inWorkers } from '../../handover/workers';
import { database, dataFolder } from '../../utils/data';
import { bodyOf, refuse } from '../../utils/requests';

const bodySchema = z.object({ name: keptName, hash: z.string().regex(/^[0-9a-f]{64}$/) });

/** A bank of Downloadable Sounds as one that can be read piece by piece, and its hash. */
async function converted({ path }: StoredFile): Promise<string> {
  const folder = await mkdtemp(join(tmpdir(), 'tall-kettle-bank-'));
  try {
    const to = join(folder, 'bank.sf2');
    await inWorkers([{ type: 'bank', path, to }], new AbortController().signal);
    return (await storeAudio(await database(), dataFolder(), createReadStream(to))).hash;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/**
 * Lists a sound bank whose bytes came to `/api/audio`, by the sounds in it. Answers with all banks; 422 for what is no
 * bank, or a damaged one, and nothing is listed then.
 */
export default defineEventHandler(async (event) => {
  const { name, hash: came } = await bodyOf(event, bodySchema);
  const db = await database();
  try {
    const sent = (await audioFile(db, dataFolder(), came)) ?? refuse(404, 'That file is not in the data folder.');
    const hash = sent.type === MEDIA_TYPES.dls ? await converted(sent) : came;
    await listBank(db, dataFolder(), hash, name);
    return readKept(db, 'banks');
  } catch (error) {
    if (error instanceof DamagedFile || error instanceof TooManyKept) return refuse(422, error.message);
    throw error;
  }
});
