/**
 * `npm test`: installs what is missing, then lint, types, unit tests, build and browser tests. Everything runs
 * whatever failed before it; the last line counts. A step that is not a test suite counts when it fails.
 */
import { existsSync, mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, install, run, tool } from './lib.mjs';

const chromium = process.env.CHROMIUM ?? '/usr/bin/chromium';
const reports = mkdtempSync(join(tmpdir(), 'tall-kettle-reports-'));
let passed = 0;
let failed = 0;

function step(name, code) {
  console.log(`${name}: ${code === 0 ? 'good' : 'FAILED'}\n`);
  if (code === 0) passed += 1;
  else failed += 1;
}

function suite(name, args) {
  console.log(`\n${name}`);
  const report = join(reports, `${name.replaceAll(' ', '-')}.json`);
  const code = run(tool('vitest'), ['run', ...args, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`]);
  const counts = existsSync(report) ? JSON.parse(readFileSync(report, 'utf8')) : { numPassedTests: 0, numFailedTests: 0 };
  passed += counts.numPassedTests;
  failed += counts.numFailedTests;
  // A suite that did not load, or an error outside a test, has no failed test to its name.
  if (code !== 0 && counts.numFailedTests === 0) failed += 1;
}

/** Debian's chromium, for the browser tests. */
function browser() {
  if (existsSync(chromium)) return true;
  console.log('Installing chromium for the browser tests.');
  const root = process.getuid?.() === 0 ? [] : ['sudo', '-n'];
  const apt = (args) => run(root[0] ?? 'apt-get', [...root.slice(1), ...(root.length ? ['apt-get'] : []), ...args], { env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }, stdio: ['ignore', 'ignore', 'inherit'] });
  apt(['update', '-qq']);
  apt(['install', '-y', '-qq', 'chromium']);
  return existsSync(chromium);
}

install();
step('Lint', run(tool('eslint'), ['.', '--max-warnings=0']));
run(tool('nuxt'), ['prepare', '--logLevel', 'silent']);
const types = run(tool('nuxt'), ['typecheck']);
step('Types', types === 0 ? run(tool('tsc'), ['-p', 'tsconfig.rooms.json']) : types);
suite('Unit tests', []);
const built = build();
step('Build', built);
if (!browser()) {
  console.error(`There is no browser at ${chromium}. Install Debian's chromium (apt-get install chromium), or say where one is: CHROMIUM=/path npm test`);
  failed += 1;
} else if (built === 0) suite('Browser tests', ['--config', 'vitest.e2e.config.ts']);

console.log(`\ntests: ${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
