import { defineEventHandler } from 'h3';
import { setupFiguresSchema } from '../../../core/placement/figures';
import { setLatency } from '../../store/latency';
import { database } from '../../utils/data';
import { bodyOf, paramOf } from '../../utils/requests';

/** Stores the latencies of a set-up. */
export default defineEventHandler(async (event) => {
  await setLatency(await database(), paramOf(event, 'id'), await bodyOf(event, setupFiguresSchema));
  return {};
});
