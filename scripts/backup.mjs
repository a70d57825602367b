/** `npm run backup -- TO`: copies everything to a folder, whether or not the program is running. */
import { resolve } from 'node:path';
import { install, ROOT, run, tool } from './lib.mjs';

const [to] = process.argv.slice(2);
if (!to) {
  console.error('Say where to: npm run backup -- /path/to/folder');
  process.exit(2);
}
await install();
const from = resolve(ROOT, process.env.TALL_KETTLE_DATA ?? '.data/own');
process.exit(run(tool('tsx'), ['server/backup.ts', from, resolve(to)]));
