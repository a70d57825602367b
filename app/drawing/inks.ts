import { shallowReactive } from 'vue';
import { FACES, type Face, type Token } from './faces';

/** Colours of the current theme; parts' colours by their names in songs. CSS has them as `--copper-soft`. */
export const TOKENS = shallowReactive<Record<Token, string>>({ ...FACES.day });

export const FONTS = {
  names: "'Fraunces Variable'",
  text: "'Figtree Variable'",
  figures: "'Spline Sans Mono Variable'",
} as const;

const cssName = (token: string): string => `--${token.replace(/[A-Z]|\d/g, (c) => `-${c.toLowerCase()}`)}`;

/** Switches the theme. Drawings that use {@link TOKENS} are drawn again. */
export function putOn(face: Face): void {
  Object.assign(TOKENS, FACES[face]);
  const { style } = document.documentElement;
  for (const [token, colour] of Object.entries(FACES[face])) style.setProperty(cssName(token), colour);
  style.colorScheme = face === 'night' ? 'dark' : 'light';
}
