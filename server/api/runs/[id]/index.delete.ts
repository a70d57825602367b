import { defineEventHandler } from 'h3';
import { endRun } from '../../../handover/runs';
import { paramOf } from '../../../utils/requests';

/** Stops a run, and throws away what it made. One that is gone already is as well. */
export default defineEventHandler(async (event) => ({ stopped: await endRun(paramOf(event, 'id')) }));
