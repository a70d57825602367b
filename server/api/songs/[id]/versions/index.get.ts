import { defineEventHandler } from 'h3';
import { readVersions } from '../../../../store/versions';
import { reading } from '../../../../utils/data';
import { paramOf } from '../../../../utils/requests';

/** Versions of a song. */
export default defineEventHandler((event) => reading((db) => readVersions(db, paramOf(event, 'id'))));
