import { defineEventHandler } from 'h3';
import { presetsSchema } from '../../../core/recording/presets';
import { setPresets } from '../../store/presets';
import { database } from '../../utils/data';
import { bodyOf } from '../../utils/requests';

/** Keeps the presets of the brief, all of them. */
export default defineEventHandler(async (event) => {
  await setPresets(await database(), await bodyOf(event, presetsSchema));
  return {};
});
