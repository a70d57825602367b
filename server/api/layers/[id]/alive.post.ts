import { defineEventHandler } from 'h3';
import { keepAlive } from '../../../store/layers';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/**
 * Repeated while a layer is recorded, so that nobody takes it for cut off during a rest. Answers whether it is still
 * open.
 */
export default defineEventHandler(async (event) => {
  const state = await keepAlive(await database(), paramOf(event, 'id'));
  return state ? { open: state === 'open' } : refuse(404, 'That layer was never opened.');
});
