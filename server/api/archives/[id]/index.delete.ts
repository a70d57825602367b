import { defineEventHandler } from 'h3';
import { letGoOf } from '../../../archive/uploads';
import { paramOf } from '../../../utils/requests';

/** Lets go of an archive that was sent. */
export default defineEventHandler(async (event) => ({ gone: await letGoOf(paramOf(event, 'id')) }));
