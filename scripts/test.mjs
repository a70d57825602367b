/**
 * `npm test`: installs what is missing, then format, lint, types, unused exports, unit tests, build and browser tests.
 * Everything runs whatever failed before it; the last line counts. A step that is not a test suite counts when it
 * fails.
 */
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, install, run, tool } from './lib.mjs';

/** Commit after which subjects are checked for their length. */
const SUBJECTS_SINCE = '66a949248bf6a37ae7c9ce183e10c2de11ff7171';
const LONGEST_SUBJECT = 72;

const chromium = process.env.CHROMIUM ?? '/usr/bin/chromium';
const reports = mkdtempSync(join(tmpdir(), 'tall-kettle-reports-'));
const total = { passed: 0, failed: 0, skipped: 0 };
/** Tests that were retried, and those that were left out, with the reason. */
const again = [];
const skips = [];
/** Names of failures, repeated at the end for readers of the last lines. */
const failures = [];
const took = [];

/** Prints a step's name, and measures its time. */
async function timed(name, work) {
  console.log(`\n${name}`);
  const began = performance.now();
  const outcome = await work();
  took.push([name, (performance.now() - began) / 1000]);
  return outcome;
}

function fail(what) {
  total.failed += 1;
  failures.push(what);
}

async function step(name, work) {
  const code = await timed(name, work);
  console.log(`  ${code === 0 ? 'good' : 'FAILED'}`);
  if (code === 0) total.passed += 1;
  else fail(name);
  return code;
}

async function suite(name, args, each) {
  const counts = join(reports, `${name.replaceAll(' ', '-')}.json`);
  const env = { ...process.env, TALL_KETTLE_COUNTS: counts, ...(each ? { TALL_KETTLE_EACH: '1' } : {}) };
  const code = await timed(name, () =>
    run(tool('vitest'), ['run', ...args, '--reporter=./scripts/reporter.mjs'], { env }),
  );
  const found = existsSync(counts)
    ? JSON.parse(readFileSync(counts, 'utf8'))
    : { passed: 0, failed: 0, skipped: 0, again: [], skips: [], failures: [] };
  for (const kind of ['passed', 'failed', 'skipped']) total[kind] += found[kind];
  again.push(...found.again);
  skips.push(...found.skips);
  failures.push(...found.failures);
  // A suite that ended silently has no failed test.
  if (code !== 0 && found.failed === 0) fail(`${name}, without a word`);
}

/** Subjects of commits that are too long; none where there is no history. */
function subjects() {
  const log = spawnSync('git', ['log', '--format=%s', `${SUBJECTS_SINCE}..HEAD`], { encoding: 'utf8' });
  const long = log.status === 0 ? log.stdout.split('\n').filter((s) => s.length > LONGEST_SUBJECT) : [];
  for (const subject of long) console.log(`  ${subject.length} characters: ${subject}`);
  return long.length > 0 ? 1 : 0;
}

/** Chromium for the browser tests, by Debian's package. */
function browser() {
  if (existsSync(chromium)) return true;
  const root = process.getuid?.() === 0 ? [] : ['sudo', '-n'];
  const apt = (args) => {
    const [command, ...given] = [...root, 'apt-get', ...args];
    return run(command, given, {
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
      stdio: ['ignore', 'inherit', 'inherit'],
    });
  };
  apt(['update', '-qq']);
  apt(['install', '-y', '-q', '--no-install-recommends', '-o', 'Dpkg::Use-Pty=0', 'chromium']);
  return existsSync(chromium);
}

await timed('Packages', install);
const found = existsSync(chromium) || (await timed('Chromium, for the browser tests', browser));
await step('Format', () => run(tool('prettier'), ['--check', '--log-level', 'warn', '.']));
await step('Commit subjects', subjects);
await step('Lint', () => run(tool('eslint'), ['.', '--max-warnings=0']));
await step('Types', () => {
  run(tool('nuxt'), ['prepare', '--logLevel', 'silent']);
  const types = run(tool('nuxt'), ['typecheck']);
  return types === 0 ? run(tool('tsc'), ['-p', 'tsconfig.rooms.json']) : types;
});
await step('Unused exports and files', () => run(tool('knip'), ['--include', 'exports,files']));
await suite('Unit tests', [], false);
const built = await step('Build', build);
if (!found) {
  console.error(
    `There is no browser at ${chromium}. Install Debian's chromium (apt-get install chromium), or say ` +
      'where one is: CHROMIUM=/path npm test',
  );
  fail('Browser tests: no browser');
} else if (built === 0) await suite('Browser tests', ['--config', 'vitest.e2e.config.ts'], true);

console.log('\nHow long each step took:');
for (const [name, seconds] of took)
  console.log(`  ${name.padEnd(34)} ${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}`);
if (skips.length) console.log(`\nLeft out:\n  ${skips.join('\n  ')}`);
if (again.length) console.log(`\nNeeded another try:\n  ${again.join('\n  ')}`);
if (failures.length) console.log(`\nFailed:\n  ${failures.join('\n  ')}`);
console.log(
  `\ntests: ${total.passed} passed, ${total.failed} failed${total.skipped ? `, ${total.skipped} skipped` : ''}`,
);
process.exit(total.failed === 0 ? 0 : 1);
