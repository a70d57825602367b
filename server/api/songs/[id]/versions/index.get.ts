import { defineEventHandler } from 'h3';
import { readVersions } from '../../../../store/versions';
import { database } from '../../../../utils/data';
import { paramOf } from '../../../../utils/requests';

/** What went out of a song. */
export default defineEventHandler(async (event) => readVersions(await database(), paramOf(event, 'id')));
