import { readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { describe, expect, it } from 'vitest';
import { meterMap } from '../core/time/meter';
import { tempoMap } from '../core/time/tempo';

/** Example in a doc comment: a call, with its result. It may use the exports of its file, and two maps. */
const EXAMPLE = /@example (.+?) \/\/ (.+?)(?: \*\/)?$/gm;

const examples = readdirSync('core', { recursive: true, encoding: 'utf8' })
  .filter((name) => name.endsWith('.ts') && !name.endsWith('.test.ts'))
  .map((name) => join('core', name))
  .flatMap((file) =>
    [...readFileSync(file, 'utf8').matchAll(EXAMPLE)].map(([, call, value]) => ({ file, call, value })),
  );

describe('an example in a doc comment is true', () => {
  it.each(examples)('$file: $call', async ({ file, call, value }) => {
    const exported = (await import(pathToFileURL(resolve(file)).href)) as Record<string, unknown>;
    const scope = { meterMap, tempoMap, ...exported };
    const [names, values] = [Object.keys(scope), Object.values(scope)];
    const evaluated = (code: string): unknown => new Function(...names, `return (${code})`)(...values);
    expect(evaluated(call!)).toEqual(evaluated(value!));
  });

  it('and there are fifty at least', () => {
    expect(examples.length).toBeGreaterThanOrEqual(50);
  });
});
