import { shallowReactive } from 'vue';
import { FACES, type Face, type Token } from './faces';

/** Colours as they are now, parts' by the names that songs have for them; style sheets have them as `--copper-soft`. */
export const TOKENS = shallowReactive<Record<Token, string>>({ ...FACES.day });

export const FONTS = {
  names: "'Fraunces Variable'",
  text: "'Figtree Variable'",
  figures: "'Spline Sans Mono Variable'",
} as const;

const cssName = (token: string): string => `--${token.replace(/[A-Z]|\d/g, (c) => `-${c.toLowerCase()}`)}`;

/** Shows everything in the colours of a face: what is drawn with {@link TOKENS} is drawn anew. */
export function putOn(face: Face): void {
  Object.assign(TOKENS, FACES[face]);
  const { style } = document.documentElement;
  for (const [token, colour] of Object.entries(FACES[face])) style.setProperty(cssName(token), colour);
  style.colorScheme = face === 'night' ? 'dark' : 'light';
}
