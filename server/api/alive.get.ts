import { defineEventHandler } from 'h3';
import { database, dataFolder } from '../utils/data';

/** Says that the server is there with its data open, and which folder it has. */
export default defineEventHandler(async () => {
  await (await database()).raw('select 1');
  return { program: 'tall-kettle', folder: dataFolder(), pid: process.pid };
});
