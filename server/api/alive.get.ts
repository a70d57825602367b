import { defineEventHandler } from 'h3';
import { dataFolder, reading } from '../utils/data';

/** Says that the server runs with its data open, and which folder it uses. */
export default defineEventHandler(async () => {
  await reading((db) => db.raw('select 1'));
  return { program: 'tall-kettle', folder: dataFolder(), pid: process.pid };
});
