import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { keyboardSchema } from '../../../core/performance/keyboard';
import { changeDevice } from '../../store/devices';
import { database } from '../../utils/data';
import { bodyOf, checked, paramOf } from '../../utils/requests';

/** Stores some settings of a keyboard; others stay as they are. */
export default defineEventHandler(async (event) => {
  const to = await bodyOf(event, z.record(z.string(), z.unknown()));
  const id = paramOf(event, 'id');
  return changeDevice(await database(), id, (before) => checked(keyboardSchema, { ...before, ...to }, 'The request'));
});
