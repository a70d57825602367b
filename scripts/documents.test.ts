import { readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { expect, it } from 'vitest';

const ROOMS = ['app', 'bench', 'core', 'demo', 'docs', 'e2e', 'engine', 'harness', 'scripts', 'server', 'soak'];
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

it('the design lists the folders of each room in the order that lint holds', async () => {
  const { FOLDERS } = (await import(join(process.cwd(), 'eslint.config.mjs'))) as { FOLDERS: Record<string, string[]> };
  const listed: Record<string, string[]> = Object.fromEntries(Object.keys(FOLDERS).map((room) => [room, []]));
  const rooms = /^From the ground up:\n(.*?)^## /ms.exec(readFileSync('docs/design.md', 'utf8'))?.[1] ?? '';
  for (const [, room = '', names = ''] of rooms.matchAll(/^ {4}(\w+)\/([\w-]+(?:, [\w-]+)*) {2,}\S/gm))
    listed[room]?.push(...names.split(', ').filter((name) => name !== 'testing'));
  expect(listed).toEqual(FOLDERS);
});
