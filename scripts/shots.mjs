/** `npm run shots`: a picture of each main view, from fresh demo data. */
import { prepare, run, tool } from './lib.mjs';

await prepare();
process.exit(run(tool('tsx'), ['e2e/shots.ts']));
