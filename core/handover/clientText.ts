import type { SongDocument } from '../document/document';

/**
 * Text of what a song sounds like and says to a client: what is set for hearing alone, and what was waved through,
 * makes no other.
 */
export const forClient = ({ parts, brief: _b, speed: _s, click, waived: _w, sheet, ...song }: SongDocument): string =>
  JSON.stringify([
    { ...song, click: [click.sound, click.subdivision], sheet: sheet.pages },
    parts.map(({ id, name, sound, gainDb, takes, comp, lanes, joins, treatments, decided, away }) => [
      ...[id, name, sound, gainDb, takes, comp, lanes, joins, treatments, decided, away],
    ]),
  ]);
