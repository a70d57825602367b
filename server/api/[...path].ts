import { defineEventHandler } from 'h3';
import { refuse } from '../utils/requests';

/** Refusal of an address that is not there. */
export default defineEventHandler(() => refuse(404, 'There is nothing at this address.'));
