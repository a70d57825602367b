import { defineEventHandler } from 'h3';
import { readDevices } from '../../store/devices';
import { database } from '../../utils/data';

/** What is remembered of each keyboard. */
export default defineEventHandler(async () => readDevices(await database()));
