import { defineEventHandler, type H3Event } from 'h3';
import { KEPT, type KeptKind } from '../../../core/kept/kept';
import { setKept } from '../../store/kept';
import { database } from '../../utils/data';
import { kindOf } from '../../utils/kept';
import { bodyOf } from '../../utils/requests';

const keepAll = async <K extends KeptKind>(event: H3Event, kind: K): Promise<void> =>
  setKept(await database(), kind, await bodyOf(event, KEPT[kind]));

/** Keeps recipes, feels or deliveries by name, all of that kind. */
export default defineEventHandler(async (event) => {
  const kind = kindOf(event);
  await keepAll(event, kind);
  return {};
});
