import { defineEventHandler } from 'h3';
import { deliverySchema } from '../../../../core/handover/delivery';
import { setDelivery } from '../../../store/versions';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

/** Chooses what the client of a job gets. */
export default defineEventHandler(async (event) => {
  const delivery = await bodyOf(event, deliverySchema);
  if (!(await setDelivery(await database(), paramOf(event, 'id'), delivery))) refuse(404, 'That job is not there.');
  // How far its songs are from their client goes by it.
  announceDesk();
  return {};
});
