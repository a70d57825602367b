/**
 * The long searches, one after the other, or those that are named. `RUNS` says how many runs each has, `SEED` which is
 * the first; a fault is printed with its own seed.
 */
import { brokenFiles } from './files';
import { hours } from './hours';
import { large } from './large';
import { pageKills } from './pageKills';
import { brokenRequests } from './requests';
import { serverKills } from './serverKills';
import { stems } from './stems';
import { windows } from './windows';
import { inWords, type Outcome, type Settings } from './search';

interface Search {
  readonly runs: number;
  readonly of: (settings: Settings) => Promise<Outcome>;
}

const SEARCHES: Readonly<Record<string, Search>> = {
  'broken files': { runs: 50_000, of: brokenFiles },
  'broken requests': { runs: 1000, of: brokenRequests },
  hours: { runs: 1, of: hours },
  large: { runs: 1, of: large },
  stems: { runs: 100, of: stems },
  'server kills': { runs: 200, of: serverKills },
  windows: { runs: 200, of: windows },
  'page kills': { runs: 200, of: (s) => pageKills('page', s) },
  'browser kills': { runs: 200, of: (s) => pageKills('browser', s) },
};

const named = process.argv.slice(2).join(' ');
const chosen = Object.entries(SEARCHES).filter(([name]) => name.includes(named));
if (chosen.length === 0) {
  console.error(`There is no search "${named}". There are: ${Object.keys(SEARCHES).join(', ')}.`);
  process.exit(2);
}
let found = 0;
for (const [name, { runs: usual, of }] of chosen) {
  const seed = Number(process.env.SEED ?? Date.now() % 2 ** 31);
  const runs = Number(process.env.RUNS ?? usual);
  console.log(`\n${name}: ${runs} runs, SEED=${seed}`);
  const began = performance.now();
  const { counts, faults } = await of({ runs, seed });
  console.log(`  ${Math.round((performance.now() - began) / 1000)} s: ${inWords(counts, faults.length)}`);
  for (const fault of faults.slice(0, 20)) console.log(`  ${fault}`);
  found += faults.length;
}
process.exit(found ? 1 : 0);
