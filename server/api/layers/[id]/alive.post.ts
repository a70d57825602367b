import { defineEventHandler } from 'h3';
import { keepAlive } from '../../../store/layers';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** Said every few seconds of a layer that is being recorded: in a long rest, too, nobody else takes it for cut off. */
export default defineEventHandler(async (event) =>
  (await keepAlive(await database(), paramOf(event, 'id'), Date.now()))
    ? {}
    : refuse(404, 'That layer was never opened.'),
);
