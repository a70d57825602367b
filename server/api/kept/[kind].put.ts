import { defineEventHandler } from 'h3';
import { KEPT } from '../../../core/timing/kept';
import { setKept } from '../../store/kept';
import { database } from '../../utils/data';
import { kindOf } from '../../utils/kept';
import { bodyOf } from '../../utils/requests';

/** Keeps recipes or feels by name, all of that kind. */
export default defineEventHandler(async (event) => {
  const kind = kindOf(event);
  if (kind === 'recipes') await setKept(await database(), kind, await bodyOf(event, KEPT.recipes));
  else await setKept(await database(), kind, await bodyOf(event, KEPT.feels));
  return {};
});
