import { defineEventHandler } from 'h3';
import { fileName } from '../../../../core/handover/delivery';
import { outgoingZip } from '../../../archive/outgoing';
import { madeFile, zipTitle } from '../../../handover/runs';
import { sendFile } from '../../../utils/sending';
import { runOfRequest } from '../../../utils/runs';

/** Stored without compression, as sound does not get smaller. */
const STORED = /\.(wav|flac|mp3|ogg)$/;

/** Finished files of a run as a zip, written while it is sent. */
export default defineEventHandler(async (event) => {
  const run = runOfRequest(event);
  const { zip, out } = outgoingZip();
  const { title, at } = zipTitle(run.id)!;
  run.files.forEach(({ file }, i) =>
    zip.addFile(madeFile(run.id, i)!.path, file.name, { compress: !STORED.test(file.name), mtime: new Date(at) }),
  );
  zip.end();
  await sendFile(event, out, { name: fileName(title, 'zip'), type: 'application/zip' });
});
