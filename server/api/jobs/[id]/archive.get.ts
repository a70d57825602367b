import { defineEventHandler, getQuery } from 'h3';
import { fileName } from '../../../../core/handover/delivery';
import { archiveOf } from '../../../archive/write';
import { dataFolder } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';
import { sendFile } from '../../../utils/sending';

/** Job as a zip, with everything that was played for it; with `?banks=1` also its sound banks. */
export default defineEventHandler(async (event) => {
  const at = new Date().toISOString();
  const found = await archiveOf(dataFolder(), paramOf(event, 'id'), at, getQuery(event).banks === '1');
  const { title, stream } = found ?? refuse(404, 'That job is not there.');
  await sendFile(event, stream, {
    name: fileName(`${title} - archive ${at.slice(0, 10)}`, 'zip'),
    type: 'application/zip',
  });
});
