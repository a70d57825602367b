/**
 * Parts that the commands share: installing, building, filling and serving. Plain JavaScript: it runs before anything
 * is installed.
 */
import { spawn, spawnSync } from 'node:child_process';
import { createServer } from 'node:net';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = resolve(dirname(fileURLToPath(import.meta.url)), '..');
const SERVER = join(ROOT, '.output/server/index.mjs');
const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm';

/** Runs a command to its end. @returns its exit code */
export function run(command, args, options = {}) {
  const { status } = spawnSync(command, args, {
    cwd: ROOT,
    stdio: 'inherit',
    env: { ...process.env, NUXT_TELEMETRY_DISABLED: '1' },
    ...options,
  });
  return status ?? 1;
}

export const tool = (name) => join(ROOT, 'node_modules/.bin', name);

/** Interval at which a silent installation reports that it goes on. */
const STILL_MS = 15_000;

/** Installs missing packages, and makes the grand's bank if it is missing. Ends the process on failure. */
export async function install() {
  await installPackages();
  if (run(tool('tsx'), ['scripts/grand.ts']) === 0) return;
  console.error(
    'The grand could not be made out of its recordings, and nothing was started. See above for the reason.',
  );
  process.exit(1);
}

/** Installs the packages of the lock file, if they differ from the installed ones. */
async function installPackages() {
  const lock = join(ROOT, 'package-lock.json');
  const modules = join(ROOT, 'node_modules');
  const marker = join(modules, '.installed-lock');
  const wanted = readFileSync(lock, 'utf8');
  if (existsSync(marker) && readFileSync(marker, 'utf8') === wanted) return;
  const packages = Object.keys(JSON.parse(wanted).packages).filter((name) =>
    /^node_modules\/(@[^/]+\/)?[^/]+$/.test(name),
  ).length;
  console.log(`Installing ${packages} packages. Nothing is compiled.`);
  const began = performance.now();
  // On a terminal npm shows its progress; in a log it shows none, so files are counted.
  const still = process.stderr.isTTY
    ? undefined
    : setInterval(() => {
        console.log(`  ${Math.round((performance.now() - began) / 1000)} s: ${countPackages(modules)} are there`);
      }, STILL_MS);
  const code = await new Promise((done) => {
    spawn(npm, ['ci', '--no-audit', '--no-fund', '--progress=true', '--loglevel=error'], {
      cwd: ROOT,
      stdio: 'inherit',
    })
      .on('close', (exit) => done(exit ?? 1))
      .on('error', () => done(1));
  });
  clearInterval(still);
  if (code !== 0) {
    console.error(
      'The packages could not be installed, and nothing was started. See above for the reason. What is needed: ' +
        `Node ^20.19 or 22.12 and later (this is ${process.version}), npm, and a way to its package registry.`,
    );
    process.exit(1);
  }
  writeFileSync(marker, wanted);
}

const countPackages = (folder) =>
  existsSync(folder)
    ? readdirSync(folder).reduce(
        (sum, name) =>
          sum + (name.startsWith('@') ? readdirSync(join(folder, name)).length : name.startsWith('.') ? 0 : 1),
        0,
      )
    : 0;
const SOURCES = [
  'app',
  'core',
  'engine',
  'server',
  'demo',
  'public',
  'nuxt.config.ts',
  'vuetify.config.ts',
  'package-lock.json',
];

function newest(path) {
  const facts = statSync(path);
  if (!facts.isDirectory()) return path.endsWith('.test.ts') ? 0 : facts.mtimeMs;
  return readdirSync(path).reduce((latest, name) => Math.max(latest, newest(join(path, name))), 0);
}

/** Builds if a source is newer than the build. @returns the exit code */
export function build() {
  const sources = Math.max(...SOURCES.map((s) => newest(join(ROOT, s))));
  const marker = join(ROOT, '.output/.built');
  if (existsSync(SERVER) && existsSync(marker) && Number(readFileSync(marker, 'utf8')) === sources) return 0;
  console.log('Building.');
  const code = run(tool('nuxt'), ['build', '--logLevel', 'silent']);
  if (code === 0) writeFileSync(marker, String(sources));
  return code;
}

/** Installs and builds; ends the process on failure. */
export async function prepare() {
  await install();
  if (build() !== 0) {
    console.error('The program did not build. See above for the reason.');
    process.exit(1);
  }
}

/** Fills a folder with the demo data once. @returns the exit code */
export function fillDemo(folder) {
  mkdirSync(folder, { recursive: true });
  const marker = join(resolve(ROOT, folder), '.demo-filled');
  if (existsSync(marker)) return 0;
  const code = run(tool('tsx'), ['demo/fill.ts', folder]);
  if (code === 0) writeFileSync(marker, '');
  return code;
}

/** Free port. */
export const freePort = () =>
  new Promise((done, failed) => {
    const probe = createServer()
      .on('error', failed)
      .listen(0, '127.0.0.1', () => {
        const { port } = probe.address();
        probe.close(() => done(port));
      });
  });

/** Facts of this program's server on a port; undefined for anything else there. */
const programAt = (port) =>
  fetch(`http://127.0.0.1:${port}/api/alive`, { signal: AbortSignal.timeout(2000) })
    .then((answer) => (answer.ok ? answer.json() : undefined))
    .then((said) => (said?.program === 'tall-kettle' ? said : undefined))
    .catch(() => undefined);

const isFree = (port) =>
  new Promise((done) => {
    const probe = createServer()
      .on('error', () => done(false))
      .listen(port, '127.0.0.1', () => probe.close(() => done(true)));
  });

/** Error of a server that ended before it answered, after printing why. */
export class EndedAtOnce extends Error {
  constructor(code) {
    super('The server ended before it answered. See above for the reason.');
    this.code = code;
  }
}

const STARTS_WITHIN_MS = 60_000;

/**
 * Starts the built server on loopback. Resolves when it answers with its data open. It ends when this process does.
 * @throws EndedAtOnce with the server's exit code
 */
export async function serve(folder, port, { stdio = 'inherit' } = {}) {
  const child = spawn(process.execPath, [SERVER], {
    cwd: ROOT,
    stdio: ['ignore', stdio === 'inherit' ? 'ignore' : stdio, 'inherit', 'ipc'],
    env: {
      ...process.env,
      NITRO_HOST: '127.0.0.1',
      NITRO_PORT: String(port),
      HOST: '127.0.0.1',
      PORT: String(port),
      // The program ends by itself; npm's own waiting fails on closed connections.
      NITRO_SHUTDOWN_DISABLED: 'true',
      TALL_KETTLE_DATA: resolve(ROOT, folder),
    },
  });
  // The connection ends with this process, and keeps nobody waiting.
  child.channel?.unref();
  const address = `http://127.0.0.1:${port}`;
  const deadline = Date.now() + STARTS_WITHIN_MS;
  while (Date.now() < deadline) {
    if (child.exitCode !== null) throw new EndedAtOnce(child.exitCode);
    if ((await programAt(port))?.pid === child.pid) return { child, address };
    await new Promise((wait) => setTimeout(wait, 50));
  }
  child.kill();
  throw new Error(`The server did not answer within ${STARTS_WITHIN_MS / 1000} seconds.`);
}

const HELD = 26;

/** Serves until it is interrupted. */
export async function serveForPerson(folder, port) {
  const there = await programAt(port);
  if (there?.folder === resolve(ROOT, folder)) {
    console.log(`\nTall Kettle is running already, at http://127.0.0.1:${port}`);
    process.exit(0);
  }
  if (there || !(await isFree(port))) {
    console.error(
      `Port ${port} is held by ${there ? `this program, with the data in ${there.folder}` : 'another program'}. ` +
        `Nothing was started. Name another port: TALL_KETTLE_PORT=${port + 1} npm start`,
    );
    process.exit(HELD);
  }
  const { child, address } = await serve(folder, port).catch((error) => {
    // The server has printed why.
    if (!(error instanceof EndedAtOnce)) console.error(error.message);
    process.exit(error.code || 1);
  });
  console.log(`\nTall Kettle is at ${address}\nWhat you make is kept in ${resolve(ROOT, folder)}\nCtrl+C stops it.`);
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill());
  child.on('exit', (code) => process.exit(code ?? 0));
}
