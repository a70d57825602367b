/** `npm run demo`: the made-up job, on this machine. */
import { fillDemo, prepare, serveForPerson } from './lib.mjs';

const folder = process.env.TALL_KETTLE_DATA ?? '.data/demo';
await prepare();
if (fillDemo(folder) !== 0) {
  console.error('The demo data could not be made; the folder was left as it was. See above for the reason.');
  process.exit(1);
}
await serveForPerson(folder, Number(process.env.TALL_KETTLE_PORT ?? 4070));
