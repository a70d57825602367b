import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

const ROOMS = ['app', 'bench', 'core', 'demo', 'e2e', 'engine', 'harness', 'scripts', 'server', 'soak'];
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

/** Words of our own that have given way to the field's, in names, comments and tests; stored fields keep theirs. */
const GONE: readonly (readonly [gone: RegExp, now: string])[] = [
  [/\b[rR]ead[sS]tretch|[sS]tretch(es)?Of\b|\ba stretch\b|\b(in|the|of) stretch\b/, 'range'],
  [/\b\w*Touch(Recipe|Notes|Band|Way)\b|\btouch of a note\b/, 'velocity'],
  [/\blayTreatment\b|\buseKeeping\b/, 'applyTreatment, useSync'],
  [/\bErrands?\b|\ban errand\b/, 'queued request'],
  [/\b\w*([sS]trikes?|_?STRIKES?)\b/, 'note, onset'],
  [/\bHAIR\b/, 'TICK_TOLERANCE, SECOND_TOLERANCE'],
  [/\bWarp\b|\bwarpBetween\b/, 'TempoWarp, tempoWarpBetween'],
  [/\bseams\b|\b(a|the|its) seam\b/, 'lap boundary, split'],
  [/\b(part|bar|sound|old)Signs\b/, 'fingerprint'],
  [/\b(own|input's) way (out|in)\b/, 'output latency, input latency'],
];

it('says things by the field’s words', () => {
  const own = [join('scripts', 'comments.test.ts'), join('scripts', 'screenWords.test.ts')];
  const found = ROOMS.flatMap(filesOf)
    .filter((file) => !own.includes(file))
    .flatMap((file) =>
      readFileSync(file, 'utf8')
        .split('\n')
        .flatMap((line, i) => GONE.filter(([gone]) => gone.test(line)).map(([, now]) => `${file}:${i + 1}: ${now}`)),
    );
  expect(found).toEqual([]);
});
