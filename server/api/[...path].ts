import { defineEventHandler } from 'h3';
import { refuse } from '../utils/requests';

/** What is not there is said, and is no page of the program. */
export default defineEventHandler(() => refuse(404, 'There is nothing at this address.'));
