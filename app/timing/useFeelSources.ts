import { computed } from 'vue';
import { readFeel } from '~~/core/files/feelFile';
import { atHand } from '~~/core/document/part';
import type { Feel } from '~~/core/timing/feel';
import type { Grid } from '~~/core/timing/grid';
import { feelOfNotes, feelOfStrokes, wholeBars } from '~~/core/timing/takingFeel';
import type { TickRange } from '~~/core/time/units';
import { wordsOf } from '~/api/api';
import { Listener } from '~/backings/listener';
import { useBackings } from '~/backings/backings';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';

/** Sources of a feel: parts as they were played, and backings. */
export function useFeelSources() {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const backings = useBackings();
  const sound = useSound();
  const notices = useNotices();

  const sources = computed(() => [
    ...atHand(song.document?.parts ?? [])
      .filter((p) => (reading.lines.get(p.id)?.notes.length ?? 0) > 0)
      .map((p) => ({ value: `part ${p.id}`, title: p.name })),
    ...(song.document?.backings ?? []).map((b) => ({ value: `backing ${b.id}`, title: `${b.name} (backing)` })),
  ]);

  async function strokes(backingId: string) {
    await sound.load();
    const buffer = sound.engine?.tracks.bufferOf(backingId);
    if (!buffer) throw new Error('The backing’s sound is not here yet. Try again in a moment.');
    const listener = new Listener();
    try {
      await listener.hear(buffer, 'beats');
      return await listener.strokes();
    } finally {
      listener.close();
    }
  }

  /** Takes the feel of a source in a range; null, with a notice, where there is none. */
  async function take(source: string, grid: Grid, range: TickRange): Promise<Feel | null> {
    const maps = openSong.maps;
    const bars = wholeBars(range, maps);
    const [kind, id] = [source.slice(0, source.indexOf(' ')), source.slice(source.indexOf(' ') + 1)];
    try {
      if (kind === 'part') {
        const part = openSong.document.parts.find((p) => p.id === id)!;
        const found = feelOfNotes(part.name.slice(0, 60), reading.playedLine(part).notes, grid, maps, bars);
        if (!found) notices.say(`${part.name} has nothing in these bars to take a feel from.`, 'plain');
        return found;
      }
      const backing = openSong.document.backings.find((b) => b.id === id)!;
      const name = backing.name.slice(0, 60);
      const found = backing.midi
        ? feelOfNotes(name, backings.readingOf(backing).notes, grid, maps, bars)
        : feelOfStrokes(
            name,
            (await strokes(id)).map((s) => ({ ...s, at: s.at + backing.offset })),
            grid,
            maps,
            bars,
          );
      if (!found) notices.say(`${backing.name} has nothing in these bars to take a feel from.`, 'plain');
      return found;
    } catch (error) {
      notices.say(`No feel was taken. ${wordsOf(error)} The recipe is as it was.`);
      return null;
    }
  }

  async function read(file: File): Promise<Feel | null> {
    try {
      return readFeel(new Uint8Array(await file.arrayBuffer()), file.name.replace(/\.\w+$/, ''));
    } catch (error) {
      notices.say(`No feel was read from ${file.name}. ${wordsOf(error)} The recipe is as it was.`);
      return null;
    }
  }

  return { sources, take, read };
}
