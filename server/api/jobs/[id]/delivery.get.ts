import { defineEventHandler } from 'h3';
import { readDelivery } from '../../../store/versions';
import { reading } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** Delivery settings of a job. */
export default defineEventHandler(
  async (event) =>
    (await reading((db) => readDelivery(db, paramOf(event, 'id')))) ?? refuse(404, 'That job is not there.'),
);
