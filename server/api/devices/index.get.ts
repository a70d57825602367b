import { defineEventHandler } from 'h3';
import { readDevices } from '../../store/devices';
import { reading } from '../../utils/data';

/** Stored settings of all keyboards. */
export default defineEventHandler(() => reading(readDevices));
