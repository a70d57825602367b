import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

const ROOMS = ['app', 'bench', 'core', 'demo', 'e2e', 'engine', 'scripts', 'server', 'soak'];
/** Openings that leave out what a comment is about: it is named by a noun. */
const BARE = /^(What|Where|Of|How|Which|Whether|Who|Whom|Whose|When|Why|So|By|From)\b/;

const filesOf = (room: string): string[] =>
  readdirSync(room, { recursive: true, encoding: 'utf8' })
    .filter((name) => /\.(ts|vue|mjs)$/.test(name))
    .map((name) => join(room, name));

it('doc comments open with their noun', () => {
  const bare = ROOMS.flatMap(filesOf).flatMap((file) =>
    [...readFileSync(file, 'utf8').matchAll(/\/\*\*[\s*]*([^\n]*)/g)]
      .map(([, opening = '']) => opening)
      .filter((opening) => BARE.test(opening))
      .map((opening) => `${file}: ${opening}`),
  );
  expect(bare).toEqual([]);
});
