import { defineEventHandler } from 'h3';
import { letGoOf } from '../../../archive/uploads';
import { paramOf } from '../../../utils/requests';

/** Deletes an uploaded archive. */
export default defineEventHandler(async (event) => ({ gone: await letGoOf(paramOf(event, 'id')) }));
