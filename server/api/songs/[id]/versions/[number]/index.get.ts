import { defineEventHandler } from 'h3';
import { readVersion } from '../../../../../store/versions';
import { reading } from '../../../../../utils/data';
import { numberParamOf, paramOf, refuse } from '../../../../../utils/requests';

/** Version, with the song as it went out. */
export default defineEventHandler(
  async (event) =>
    (await reading((db) => readVersion(db, paramOf(event, 'id'), numberParamOf(event, 'number')))) ??
    refuse(404, 'That version is not there.'),
);
