import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { FACES, type Token } from './faces';

/** Relative luminance of a colour (WCAG 2), 0 to 1. */
function luminance(hex: string): number {
  const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((i) => {
    const share = Number.parseInt(hex.slice(i, i + 2), 16) / 255;
    return share <= 0.03928 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}
function contrast(a: string, b: string): number {
  const [light = 0, dark = 0] = [luminance(a), luminance(b)].sort((x, y) => y - x);
  return (light + 0.05) / (dark + 0.05);
}

/** Colours of texts, and what they lie on. */
const TEXTS: readonly (readonly [Token, readonly Token[]])[] = [
  ['ink', ['paper', 'sheet', 'raised', 'tint', 'copperSoft', 'mossSoft', 'ruleSoft']],
  ['ink2', ['paper', 'sheet', 'raised']],
  ['copperInk', ['paper', 'sheet', 'copperSoft']],
  ['live', ['sheet']],
  ...(['sea', 'moss', 'plum', 'brass', 'rust', 'slate'] as const).map((ink) => [ink, ['sheet']] as const),
  ['plateInk', ['plate', 'plate2', 'liveFill']],
  ['plateInk2', ['plate']],
  ['plateCopper', ['plate']],
  ['plate', ['key', 'keyHeld']],
];

describe.each(['day', 'night'] as const)('the face of %s', (face) => {
  const colours = FACES[face];
  it.each(TEXTS)('has %s at 4.5 to 1 or more on what it lies on', (text, grounds) => {
    for (const ground of grounds)
      expect(contrast(colours[text], colours[ground]), `${text} on ${ground}`).toBeGreaterThanOrEqual(4.5);
  });
});

it('is where all colours are: no other file of the page has one of its own', () => {
  const app = join(import.meta.dirname, '..');
  const own = readdirSync(app, { recursive: true, encoding: 'utf8' })
    .filter((file) => /\.(vue|css|ts)$/.test(file) && !/\.test\.ts$|drawing[\\/]faces\.ts$/.test(file))
    .flatMap((file) => {
      const found = readFileSync(join(app, file), 'utf8').match(/[:'"] ?#(?:[\da-f]{3}|[\da-f]{6}|[\da-f]{8})\b/gi);
      return found ? [`${file}: ${found.join(', ')}`] : [];
    });
  expect(own).toEqual([]);
});
