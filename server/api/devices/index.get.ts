import { defineEventHandler } from 'h3';
import { readDevices } from '../../store/devices';
import { reading } from '../../utils/data';

/** Settings that are remembered of each keyboard. */
export default defineEventHandler(() => reading(readDevices));
