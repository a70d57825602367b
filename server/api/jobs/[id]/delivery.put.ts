import { defineEventHandler } from 'h3';
import { deliveryChangeSchema } from '../../../../core/handover/delivery';
import { changeDelivery } from '../../../store/versions';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

/** Chooses some of what the client of a job gets: what is not said stays. Answers with all of it. */
export default defineEventHandler(async (event) => {
  const to = await bodyOf(event, deliveryChangeSchema);
  const now =
    (await changeDelivery(await database(), paramOf(event, 'id'), to)) ?? refuse(404, 'That job is not there.');
  // How far its songs are from their client goes by it, and so does what other windows show.
  announceDesk();
  return now;
});
