import { createReadStream } from 'node:fs';
import { defineEventHandler } from 'h3';
import { madeFile } from '../../../../handover/runs';
import { sendFile } from '../../../../utils/sending';
import { numberParamOf, paramOf, refuse } from '../../../../utils/requests';

/** Finished file of a run. */
export default defineEventHandler(async (event) => {
  const found = madeFile(paramOf(event, 'id'), numberParamOf(event, 'index'));
  const { path, file } = found ?? refuse(404, 'That file is not there any more. Make the files once more.');
  await sendFile(event, createReadStream(path), { name: file.file.name, length: file.bytes });
});
