import { defineEventHandler, type H3Event } from 'h3';
import { KEPT, type Kept, type KeptKind } from '../../../../core/kept/kept';
import { keepNamed, readKept, TooManyKept } from '../../../store/kept';
import { database } from '../../../utils/data';
import { kindOf } from '../../../utils/kept';
import { bodyOf, refuse } from '../../../utils/requests';

async function keepOne<K extends KeptKind>(event: H3Event, kind: K): Promise<Kept<K>> {
  const one = await bodyOf(event, KEPT[kind]);
  const db = await database();
  await keepNamed(db, kind, one).catch((error: unknown) => {
    if (error instanceof TooManyKept) return refuse(422, error.message);
    throw error;
  });
  return readKept(db, kind);
}

/** Keeps an entry by its name, and answers with all of the kind, as other windows may have added some. */
export default defineEventHandler((event) => keepOne(event, kindOf(event)));
