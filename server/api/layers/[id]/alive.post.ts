import { defineEventHandler } from 'h3';
import { keepAlive } from '../../../store/layers';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/**
 * Said again and again of a layer that is being recorded: in a long rest, too, nobody else takes it for cut off. Says
 * whether it is open still.
 */
export default defineEventHandler(async (event) => {
  const state = await keepAlive(await database(), paramOf(event, 'id'));
  return state ? { open: state === 'open' } : refuse(404, 'That layer was never opened.');
});
