import { defineEventHandler } from 'h3';
import { keyboardSchema } from '../../../core/performance/keyboard';
import { setDevice } from '../../store/devices';
import { database } from '../../utils/data';
import { bodyOf, paramOf } from '../../utils/requests';

/** Remembers a keyboard's settings. */
export default defineEventHandler(async (event) => {
  const settings = await bodyOf(event, keyboardSchema);
  await setDevice(await database(), paramOf(event, 'id'), settings);
  return settings;
});
