import { defineEventHandler } from 'h3';
import { dataFolder, reading } from '../utils/data';

/** Says that the server is there with its data open, and which folder it has. */
export default defineEventHandler(async () => {
  await reading((db) => db.raw('select 1'));
  return { program: 'tall-kettle', folder: dataFolder(), pid: process.pid };
});
