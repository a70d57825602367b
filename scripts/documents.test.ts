import { readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { expect, it } from 'vitest';

const ROOMS = ['app', 'bench', 'core', 'demo', 'docs', 'e2e', 'engine', 'scripts', 'server', 'soak'];
const files = [
  ...readdirSync('.'),
  ...ROOMS.flatMap((room) => readdirSync(room, { recursive: true, encoding: 'utf8' }).map((name) => join(room, name))),
];
const names = new Set(files.map((file) => basename(file)));
const documents = files.filter((file) => /^(docs\/design|docs\/decisions\/|README|CONTRIBUTING).*\.md$/.test(file));

it('documents name source files that are there', () => {
  expect(documents.length).toBeGreaterThan(3);
  const gone = documents.flatMap((document) =>
    [...readFileSync(document, 'utf8').matchAll(/`([^`\s]+\.(?:ts|vue|mjs))`/g)]
      .map(([, file = '']) => file)
      .filter((file) => (file.includes('/') ? !files.some((f) => f.endsWith(file)) : !names.has(file)))
      .map((file) => `${document}: ${file}`),
  );
  expect(gone).toEqual([]);
});
