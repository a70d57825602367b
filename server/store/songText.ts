import { storedSongSchema, type SongDocument } from '../../core/document/document';

/** Songs whose text was read or written last: each change of one begins with reading what the one before it wrote. */
const last = new Map<string, SongDocument>();
const MOST = 12;

function remember(text: string, song: SongDocument): void {
  // The one that was asked for last is the last to be forgotten.
  last.delete(text);
  last.set(text, song);
  if (last.size > MOST) last.delete(last.keys().next().value!);
}

/**
 * A song from its JSON, whatever version stored it.
 * @throws SyntaxError or ZodError when it is none; NewerSong
 */
export function songOf(text: string): SongDocument {
  const song = last.get(text) ?? storedSongSchema.parse(JSON.parse(text));
  remember(text, song);
  return song;
}

/** A song's JSON. */
export function textOf(song: SongDocument): string {
  const text = JSON.stringify(song);
  remember(text, song);
  return text;
}
