import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { notice } from './notice.mjs';

it('NOTICE names every package that ships, with its licence', () => {
  expect(readFileSync('NOTICE', 'utf8')).toBe(notice());
  expect(notice()).not.toContain('undefined');
});
