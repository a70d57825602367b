import { defineEventHandler } from 'h3';
import { refuse } from '../utils/requests';

/** Answer for unknown paths of the API: 404. */
export default defineEventHandler(() => refuse(404, 'There is nothing at this address.'));
