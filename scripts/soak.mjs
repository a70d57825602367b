/**
 * `npm run soak`: the long searches, of which `npm test` makes short ones; with a word after `--` only those of that
 * name ("laws" are the properties of the core and the queue). `WORLDS` and `RUNS` say how many; seeds are printed.
 */
import { prepare, run, tool } from './lib.mjs';

await prepare();
const named = process.argv.slice(2);
const env = { ...process.env, WORLDS: process.env.WORLDS ?? '1000' };
const laws = () => run(tool('vitest'), ['run', 'app/sync', 'core', '--reporter=./scripts/reporter.mjs'], { env });
const searches = () => run(tool('tsx'), ['soak/main.ts', ...named]);
if (named.join(' ') === 'laws') process.exit(laws());
const found = named.length > 0 ? 0 : laws();
process.exit(searches() || found);
