import { resolve } from 'node:path';
import { sweepUnfinished } from '../store/audio';
import { openDatabase, type Database } from '../store/database';

/** Where everything the person makes is kept. */
export const dataFolder = (): string => resolve(process.env.TALL_KETTLE_DATA ?? '.data/own');

let opened: Promise<Database> | undefined;

/** The one connection of this server. */
export const database = (): Promise<Database> => {
  if (!opened) sweepUnfinished(dataFolder());
  return (opened ??= openDatabase(dataFolder()));
};
