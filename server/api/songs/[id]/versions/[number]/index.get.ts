import { defineEventHandler } from 'h3';
import { readVersion } from '../../../../../store/versions';
import { database } from '../../../../../utils/data';
import { numberParamOf, paramOf, refuse } from '../../../../../utils/requests';

/** A version, with the song as it went out. */
export default defineEventHandler(
  async (event) =>
    (await readVersion(await database(), paramOf(event, 'id'), numberParamOf(event, 'number'))) ??
    refuse(404, 'That version is not there.'),
);
