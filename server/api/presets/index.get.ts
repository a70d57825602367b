import { defineEventHandler } from 'h3';
import { readPresets } from '../../store/presets';
import { database } from '../../utils/data';

/** The presets of the brief. */
export default defineEventHandler(async () => readPresets(await database()));
