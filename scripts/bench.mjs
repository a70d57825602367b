/** `npm run bench`: see bench/main.ts. What is measured is the built program. */
import { prepare, run, tool } from './lib.mjs';

const said = console.log;
// With --json, only figures go to standard output.
console.log = console.error;
await prepare();
console.log = said;
process.exit(run(tool('tsx'), ['bench/main.ts', ...process.argv.slice(2)]));
