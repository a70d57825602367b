/**
 * Mutated requests at every address of the server: none may be answered with 5xx, none may take longer than two
 * seconds, the server may not end, and its songs stay as they were. `SEED` brings a run back.
 */
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { newSong } from '../core/document/document';
import { change } from '../core/song/changes';
import { header } from '../core/testing/arbitraries';
import { addSong, readSong, startServer } from '../e2e/server';

const SLOWEST_MS = 2000;
const AT_ONCE = 8;

interface Route {
  readonly method: string;
  readonly path: string;
}

/** The routes as they lie in the folder: `[id]` is a parameter, the file's name ends in the method. */
function routesIn(folder: string, at = '/api'): Route[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry): Route[] => {
    if (entry.isDirectory()) return routesIn(join(folder, entry.name), `${at}/${entry.name}`);
    const [, name, method] = /^(.+)\.(get|post|put|patch)\.ts$/.exec(entry.name) ?? [];
    if (!name || !method || at.endsWith('/feed') || name === 'feed') return [];
    return [{ method: method.toUpperCase(), path: name === 'index' ? at : `${at}/${name}` }];
  });
}

const routes = routesIn(fileURLToPath(new URL('../server/api', import.meta.url)))
  // These replace what the others are compared with.
  .filter(({ path }) => !path.endsWith('/restore'));
const song = newSong('Lamps', 'piano');
const { patches, inverse } = change(song, { type: 'set length', bars: 12 });
/** Bodies that some address takes, to be broken. */
const GOOD: readonly unknown[] = [
  { title: 'Job' },
  { jobId: 'none', document: song, layers: [] },
  { id: 'x', base: 0, after: null, kind: 'do', name: 'set length', patches, inverse },
  { songId: 'none', header: header(), mode: 'new take' },
  { events: [{ at: 1, message: { type: 'noteOn', key: 60, velocity: 80 } }] },
  { range: { from: 0, to: 1 }, clears: [] },
  { on: true, curve: { shape: 0, low: 1, high: 127 } },
  [{ name: 'Preset', brief: song.brief }],
];

const odd = fc.oneof(
  fc.constantFrom(
    null,
    true,
    '',
    'x',
    -1,
    0,
    1.5,
    1e308,
    4_294_967_295,
    Number.MAX_SAFE_INTEGER,
    '\u0000',
    '__proto__',
    [],
    {},
  ),
  fc.string({ maxLength: 40, unit: 'binary' }),
  fc.jsonValue({ maxDepth: 3 }),
);
/** A value with one thing in it put out of place. */
function broken(value: unknown, path: readonly number[], by: unknown): unknown {
  if (value === null || typeof value !== 'object' || path.length === 0) return by;
  const keys = Object.keys(value);
  if (keys.length === 0) return by;
  const key = keys[path[0]! % keys.length]!;
  const inner = broken((value as Record<string, unknown>)[key], path.slice(1), by);
  if (Array.isArray(value)) return value.map((v: unknown, i) => (String(i) === key ? inner : v));
  return { ...value, [key]: inner };
}
const body = fc.oneof(
  {
    weight: 6,
    arbitrary: fc
      .tuple(fc.constantFrom(...GOOD), fc.array(fc.nat(20), { maxLength: 5 }), odd)
      .map(([g, p, o]) => JSON.stringify(broken(g, p, o))),
  },
  {
    weight: 2,
    arbitrary: fc.tuple(fc.constantFrom(...GOOD), fc.nat(300)).map(([g, n]) => JSON.stringify(g).slice(0, n)),
  },
  { weight: 1, arbitrary: fc.string({ maxLength: 60, unit: 'binary' }) },
  { weight: 1, arbitrary: fc.jsonValue().map((v) => JSON.stringify(v)) },
);

const server = await startServer();
const id = await addSong(server.address);
const part = fc.oneof(
  {
    weight: 3,
    arbitrary: fc.constantFrom(
      'none',
      'layer',
      'x'.repeat(201),
      '%00',
      '..%2F..',
      '%E0%A4%A',
      '-1',
      '1e9',
      'f'.repeat(64),
    ),
  },
  { weight: 1, arbitrary: fc.string({ maxLength: 30 }).map(encodeURIComponent) },
);
const request = fc.record({
  route: fc.constantFrom(...routes),
  parts: fc.array(part, { minLength: 3, maxLength: 3 }),
  body,
  type: fc.constantFrom('application/json', 'text/plain', 'application/octet-stream'),
});

const runs = Number(process.env.RUNS ?? 20_000);
const seed = Number(process.env.SEED ?? Date.now() % 2 ** 31);
console.log(`${runs} requests at ${routes.length} addresses, SEED=${seed}`);
const before = await readSong(server.address, id);
const all = fc.sample(request, { numRuns: runs, seed });
const statuses = new Map<number, number>();
const faults: string[] = [];
let slowest = 0;
let next = 0;
async function sender(): Promise<void> {
  while (next < all.length) {
    const { route, parts, body: text, type } = all[next++]!;
    let at = 0;
    const path = route.path.replaceAll(/\[[^\]]+\]/g, () => parts[at++] ?? 'x');
    const began = performance.now();
    const answer = await fetch(`${server.address}${path}`, {
      method: route.method,
      headers: { 'content-type': type },
      ...(route.method === 'GET' ? {} : { body: text }),
    })
      .then(async (r) => {
        await r.arrayBuffer();
        return r.status;
      })
      .catch((error: unknown) => String(error));
    const took = performance.now() - began;
    slowest = Math.max(slowest, took);
    if (typeof answer === 'number') statuses.set(answer, (statuses.get(answer) ?? 0) + 1);
    if (typeof answer !== 'number' || answer >= 500 || took > SLOWEST_MS)
      faults.push(`${route.method} ${path} ${text.slice(0, 300)}: ${answer}, ${Math.round(took)} ms`);
  }
}
await Promise.all(Array.from({ length: AT_ONCE }, sender));
if (JSON.stringify(await readSong(server.address, id)) !== JSON.stringify(before)) faults.push('A song was changed.');
await server.end();
console.log(
  [...statuses]
    .sort(([a], [b]) => a - b)
    .map(([status, n]) => `${status}: ${n}`)
    .join(', '),
);
console.log(`slowest ${Math.round(slowest)} ms, ${faults.length} faults`);
for (const fault of faults.slice(0, 20)) console.log(`  ${fault}`);
process.exit(faults.length ? 1 : 0);
