import type { SongDocument } from '../document/document';

/**
 * Text of everything in a song that reaches the client. Settings for listening only, and accepted findings, are left
 * out.
 */
export const forClient = ({ parts, brief: _b, speed: _s, click, waived: _w, sheet, ...song }: SongDocument): string =>
  JSON.stringify([
    { ...song, click: [click.sound, click.subdivision], sheet: sheet.pages },
    parts.map(({ id, name, sound, gainDb, takes, comp, lanes, joins, treatments, decided, away }) => [
      ...[id, name, sound, gainDb, takes, comp, lanes, joins, treatments, decided, away],
    ]),
  ]);
