/** `npm start`: the person's own work. Folder and port come from TALL_KETTLE_DATA and TALL_KETTLE_PORT. */
import { prepare, serveForPerson } from './lib.mjs';

await prepare();
await serveForPerson(process.env.TALL_KETTLE_DATA ?? '.data/own', Number(process.env.TALL_KETTLE_PORT ?? 4071));
