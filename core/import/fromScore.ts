import { newSong, songSchema, type SongDocument } from '../document/document';
import { DamagedFile } from '../files/damaged';
import { readMusicXml } from '../files/musicXml';
import { FASTEST_BPM, LONGEST_NAME, LONGEST_WRITTEN, SLOWEST_BPM } from '../vocabulary/limits';

/**
 * Song with the form of a MusicXML score: tempo, meter, key, chord symbols, and a section for each rehearsal mark.
 * @returns the song, and what of the score was skipped
 * @throws DamagedFile for a score that cannot be read or holds more than a song can
 */
export function songFromScore(
  text: string,
  name: string,
  newId: () => string,
): { readonly document: SongDocument; readonly left: readonly string[] } {
  const { title, key, meter, tempo, marks, chords, bars, left } = readMusicXml(text);
  if (tempo.some((t) => t.bpm < SLOWEST_BPM || t.bpm > FASTEST_BPM))
    throw new DamagedFile(`The score has a tempo outside ${SLOWEST_BPM} to ${FASTEST_BPM} quarter notes a minute.`);
  const starts = marks.length > 0 && marks[0]!.bar > 1 ? [{ bar: 1, text: 'Start' }, ...marks] : marks;
  const sections = starts.map(({ bar, text: mark }, i) => ({
    ...{ id: newId(), name: mark, pattern: null },
    bars: (starts[i + 1]?.bar ?? bars + 1) - bar,
  }));
  const words = (title || name.replace(/\.(music)?xml$/i, '')).trim().slice(0, LONGEST_NAME).trim();
  const plain = newSong(words || 'Untitled', newId());
  const written = chords.map(({ bar, signs }) => ({ bar, chords: signs.slice(0, LONGEST_WRITTEN) }));
  const read = songSchema.safeParse({ ...plain, key, meter, tempo, bars, sections, written });
  if (read.success) return { document: read.data, left };
  const [issue] = read.error.issues;
  throw new DamagedFile(`The score holds something that a song cannot (${issue!.path.join(' ')}: ${issue!.message}).`);
}
