import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { defineEventHandler, getRouterParam } from 'h3';
import { DamagedFile } from '../../../../core/files/damaged';
import { audioFile } from '../../../store/audio';
import { readOnePreset } from '../../../store/banks';
import { dataFolder, reading } from '../../../utils/data';
import { hashParamOf, refuse } from '../../../utils/requests';

/** Sound of a bank by bank and program (`0-4`), as a bank of its own. Only the parts that it needs are read. */
export default defineEventHandler(async (event) => {
  const hash = hashParamOf(event);
  const [, bank, program] = /^(\d{1,5})-(\d{1,3})$/.exec(getRouterParam(event, 'sound') ?? '') ?? [];
  if (!program) return refuse(404, 'There is no such sound.');
  const file = (await reading((db) => audioFile(db, dataFolder(), hash))) ?? refuse(404, 'Its sound bank is not here.');
  const pieces = readOnePreset(file.path, { bank: Number(bank), program: Number(program) });
  // The first piece carries the length of the whole.
  const first = await pieces.next().catch((error: unknown) => {
    if (error instanceof DamagedFile) return refuse(422, error.message);
    throw error;
  });
  const head = Buffer.from(first.value as Uint8Array);
  const { res } = event.node;
  res.setHeader('Content-Type', file.type);
  res.setHeader('Content-Length', 8 + head.readUInt32LE(4));
  event._handled = true;
  async function* whole(): AsyncGenerator<Uint8Array> {
    yield head;
    yield* pieces;
  }
  await pipeline(Readable.from(whole()), res).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') console.error(error);
    res.destroy();
  });
});
