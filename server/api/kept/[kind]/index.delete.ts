import { defineEventHandler, getQuery } from 'h3';
import { keptName } from '../../../../core/kept/kept';
import { forgetNamed, readKept } from '../../../store/kept';
import { database } from '../../../utils/data';
import { kindOf } from '../../../utils/kept';
import { checked } from '../../../utils/requests';

/** Forgets the one of a name (`?name=`), and answers with all that are left of the kind. */
export default defineEventHandler(async (event) => {
  const kind = kindOf(event);
  const name = checked(keptName, getQuery(event).name, 'The name');
  const db = await database();
  await forgetNamed(db, kind, name);
  return readKept(db, kind);
});
