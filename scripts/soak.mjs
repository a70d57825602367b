/**
 * `npm run soak`: the long searches, of which `npm test` makes short ones. `WORLDS` and `RUNS` say how many, seeds are
 * printed.
 */
import { prepare, run, tool } from './lib.mjs';

await prepare();
const env = { ...process.env, WORLDS: process.env.WORLDS ?? '1000' };
const laws = run(tool('vitest'), ['run', 'app/keeping', 'core', '--reporter=./scripts/reporter.mjs'], { env });
const requests = run(tool('tsx'), ['soak/requests.ts']);
process.exit(laws || requests);
