import { defineEventHandler } from 'h3';
import { endRun } from '../../../handover/runs';
import { paramOf } from '../../../utils/requests';

/** Stops a run and deletes its files. Repeating it is harmless. */
export default defineEventHandler(async (event) => ({ stopped: await endRun(paramOf(event, 'id')) }));
