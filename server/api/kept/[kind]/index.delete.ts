import { defineEventHandler, getQuery } from 'h3';
import { keptName } from '../../../../core/kept/kept';
import { forgetNamed, readKept } from '../../../store/kept';
import { database } from '../../../utils/data';
import { kindOf } from '../../../utils/kept';
import { checked } from '../../../utils/requests';

/** Forgets an entry by its name (`?name=`), and answers with the remaining ones of the kind. */
export default defineEventHandler(async (event) => {
  const kind = kindOf(event);
  const name = checked(keptName, getQuery(event).name, 'The name');
  const db = await database();
  await forgetNamed(db, kind, name);
  return readKept(db, kind);
});
