import { defineEventHandler } from 'h3';
import { deliveryChangeSchema } from '../../../../core/handover/delivery';
import { changeDelivery } from '../../../store/versions';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

/** Changes some delivery settings of a job. Answers with all of them. */
export default defineEventHandler(async (event) => {
  const to = await bodyOf(event, deliveryChangeSchema);
  const now =
    (await changeDelivery(await database(), paramOf(event, 'id'), to)) ?? refuse(404, 'That job is not there.');
  // The progress of its songs depends on it, and other windows show it.
  announceDesk();
  return now;
});
