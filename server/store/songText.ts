import { storedSongSchema, type SongDocument } from '../../core/document/document';

/** Latest parsed songs by their text, as each change begins with reading what the one before wrote. */
const last = new Map<string, SongDocument>();
const MOST = 12;

function remember(text: string, song: SongDocument): void {
  // Moved to the end, to be dropped last.
  last.delete(text);
  last.set(text, song);
  if (last.size > MOST) last.delete(last.keys().next().value!);
}

/** Song from JSON of any version. @throws SyntaxError or ZodError for anything else; NewerSong */
export function songOf(text: string): SongDocument {
  const song = last.get(text) ?? storedSongSchema.parse(JSON.parse(text));
  remember(text, song);
  return song;
}

/** JSON of a song. */
export function textOf(song: SongDocument): string {
  const text = JSON.stringify(song);
  remember(text, song);
  return text;
}
