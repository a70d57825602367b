import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { unpackPeaks, type Peaks } from '~~/core/backing/peaks';
import { formOf } from '~~/core/client/meant';
import { writtenFrom } from '~~/core/client/writtenPartFromText';
import { DamagedFile } from '~~/core/files/damaged';
import { readMidiFile, type MidiSong } from '~~/core/files/smf';
import { checkDecoded } from '~~/core/files/sound';
import { transposed } from '~~/core/performance/transposition';
import { controlsFromEvents, notesFromEvents, SILENCE, type Reading } from '~~/core/performance/notes';
import { newBacking, type Backing } from '~~/core/document/backing';
import { midiForm } from '~~/core/import/fromMidi';
import { many } from '~~/core/vocabulary/many';
import { LONGEST_NAME, LONGEST_NOTES, MOST_BACKINGS, MOST_SHEET_PAGES } from '~~/core/vocabulary/limits';
import { sendBytes, wordsOf } from '~/api/api';
import { kindOf, unpacked } from './clientFiles';
import { Listener } from './listener';
import { readPages } from './pages';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { bringInBank } from '~/sound/bringInBank';
import { useSound } from '~/sound/sound';

/** Facts of the backings beside the document: their waveforms, and the content of their MIDI tracks. */
export const useBackings = defineStore('backings', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const sound = useSound();
  const reading = useReading();
  const notices = useNotices();

  /** Waveforms by content hash. */
  const waves = shallowRef<ReadonlyMap<string, Peaks>>(new Map());
  /** Notes and controls of each MIDI backing, by the backing's id. */
  const readings = shallowRef<ReadonlyMap<string, Reading>>(new Map());
  /** Words for a file that is being brought in; empty otherwise. */
  const busy = ref('');
  /** MIDI files for which the player still has to say what to take from them. */
  const offered = shallowRef<readonly { readonly name: string; readonly audio: string; readonly file: MidiSong }[]>([]);
  const files = new Map<string, Promise<MidiSong>>();
  const asked = new Set<string>();

  const midiFile = (audio: string): Promise<MidiSong> => {
    const known =
      files.get(audio) ??
      fetch(`/api/audio/${audio}`).then(async (response) => {
        if (!response.ok) throw new Error('The MIDI file could not be fetched.');
        return readMidiFile(new Uint8Array(await response.arrayBuffer()));
      });
    files.set(audio, known);
    known.catch(() => files.delete(audio));
    return known;
  };

  async function readMidi(backing: Backing): Promise<void> {
    const track = (await midiFile(backing.audio)).tracks[backing.midi!.track];
    const events = track?.events ?? [];
    const end = events.at(-1)?.at ?? 0;
    readings.value = new Map(readings.value).set(backing.id, {
      notes: notesFromEvents(events, end, backing.id),
      controls: controlsFromEvents(events),
    });
  }

  const setWave = (audio: string, packed: Uint8Array): void => {
    waves.value = new Map(waves.value).set(audio, unpackPeaks(packed));
  };

  /** The waveform is on the server; if it is missing, it is computed once the sound has been loaded. */
  async function fetchWave({ id, audio }: Backing): Promise<void> {
    const response = await fetch(`/api/audio/${audio}/peaks`);
    if (response.ok) {
      setWave(audio, new Uint8Array(await response.arrayBuffer()));
      return;
    }
    await sound.load();
    const buffer = sound.engine?.tracks.bufferOf(id);
    if (!buffer) return;
    const listener = new Listener();
    await listener.hear(buffer, 'peaks');
    const { packed } = await listener.peaks();
    listener.close();
    setWave(audio, packed);
    await sendBytes(`/api/audio/${audio}/peaks`, packed, 'PUT').catch(() => {});
  }

  watch(
    () => song.document?.backings,
    (backings = []) => {
      for (const backing of backings) {
        if (backing.midi ? readings.value.has(backing.id) : waves.value.has(backing.audio)) continue;
        if (asked.has(backing.id)) continue;
        asked.add(backing.id);
        (backing.midi ? readMidi(backing) : fetchWave(backing))
          .catch((error) => notices.say(`${backing.name}: ${wordsOf(error)} The song works without it.`))
          .finally(() => asked.delete(backing.id));
      }
    },
    { immediate: true },
  );

  const readingOf = (backing: Backing): Reading => readings.value.get(backing.id) ?? SILENCE;

  /** MIDI backings transposed to the key that is set, by the backing's id. */
  const sounding = computed(
    () => new Map([...readings.value].map(([id, own]) => [id, transposed(own, reading.transposition)])),
  );
  const soundingOf = (backing: Backing): Reading =>
    backing.keepsPitch ? readingOf(backing) : (sounding.value.get(backing.id) ?? SILENCE);

  /** Decodes a sound file, and analyses it before it is sent. @throws with the reason where it cannot be used */
  async function open(file: File): Promise<{ buffer: AudioBuffer; packed: Uint8Array }> {
    await sound.load();
    if (!sound.engine) throw new Error(`There is no sound to decode it with: ${sound.trouble}`);
    const buffer = await sound.engine.decode(await file.arrayBuffer());
    const listener = new Listener();
    try {
      // The copy is made in a turn of its own, as decoding has just blocked the page.
      await new Promise((next) => setTimeout(next));
      const start = performance.now();
      await listener.hear(buffer, 'peaks');
      const { packed, silent } = await listener.peaks();
      performance.measure('peaks of a backing', { start });
      checkDecoded(buffer.numberOfChannels, buffer.duration, silent);
      return { buffer, packed };
    } finally {
      listener.close();
    }
  }

  async function bringInSound(file: File): Promise<void> {
    const { buffer, packed } = await open(file);
    const { hash } = await sendBytes<{ hash: string }>('/api/audio', file);
    await sendBytes(`/api/audio/${hash}/peaks`, packed, 'PUT');
    setWave(hash, packed);
    const id = crypto.randomUUID();
    sound.engine?.tracks.addSound(id, buffer);
    song.run({
      type: 'add backing',
      backing: newBacking({ id, name: nameOf(file), audio: hash, length: buffer.duration }),
    });
  }

  async function bringInMidi(file: File): Promise<void> {
    const read = readMidiFile(new Uint8Array(await file.arrayBuffer()));
    midiForm(read, () => crypto.randomUUID());
    const { hash } = await sendBytes<{ hash: string }>('/api/audio', file);
    files.set(hash, Promise.resolve(read));
    offered.value = [...offered.value, { name: nameOf(file), audio: hash, file: read }];
  }

  /** Adds text to the song's notes. Chord symbols in it become the written part of a song that has none. */
  function bringInText(text: string): void {
    const opened = openSong.document;
    const notes = [opened.notes, text].filter(Boolean).join('\n');
    openSong.setSong({ notes: notes.slice(0, LONGEST_NOTES) });
    const written = opened.written.length > 0 || !reading.maps ? [] : writtenFrom(text, formOf(opened, reading.maps));
    if (written.length === 0) return;
    song.run({ type: 'set written part', written: [...written] });
    notices.say(`Chords of ${many(written.length, 'bar')} were found in it: they are the written part.`, 'plain');
  }

  /** Adds pages to the client's sheet, in the order in which they arrive. Unreadable files are not sent. */
  async function bringInPages(file: File, isPdf: boolean): Promise<void> {
    const { pages, systems } = await readPages(file, isPdf, openSong.document.bars);
    if (openSong.document.sheet.pages.length + pages.length > MOST_SHEET_PAGES)
      throw new DamagedFile(`A sheet has at most ${MOST_SHEET_PAGES} pages.`);
    const { hash } = await sendBytes<{ hash: string }>('/api/audio', file);
    song.run({ type: 'add sheet pages', pages: pages.map((page) => ({ ...page, file: hash })), systems: [...systems] });
    const told = systems.length > 0 ? ` ${many(systems.length, 'line')} of music were found by their bar numbers.` : '';
    notices.say(`${many(pages.length, 'page')} joined the song’s sheet.${told}`, 'plain');
  }

  /** Brings files into the open song, one after the other. Unusable ones are reported, and the rest is brought in. */
  async function bringIn(dropped: readonly File[]): Promise<void> {
    const each = await unpacked(dropped).catch((error: unknown) => {
      notices.say(wordsOf(error));
      return [];
    });
    for (const file of each) {
      busy.value = file.name;
      try {
        if (!song.document) return;
        const kind = await kindOf(file);
        if (kind === 'pdf' || kind === 'picture') {
          await bringInPages(file, kind === 'pdf');
          continue;
        }
        if (kind === 'bank') {
          await bringInBank(file);
          continue;
        }
        if (kind === 'text') {
          bringInText((await file.text()).trim());
          continue;
        }
        if (song.document.backings.length >= MOST_BACKINGS)
          throw new DamagedFile(`A song has at most ${MOST_BACKINGS} backings.`);
        await (kind === 'midi' ? bringInMidi(file) : bringInSound(file));
      } catch (error) {
        notices.say(`${file.name}: ${wordsOf(error)} It stays out, and nothing of it was kept.`);
      }
    }
    busy.value = '';
  }

  /** Files for a song that is about to be opened, brought in once it is. */
  function bringInto(songId: string, dropped: readonly File[]): void {
    const stop = watch(
      () => song.id === songId && song.document !== null,
      (there) => {
        if (!there) return;
        stop();
        void bringIn(dropped);
      },
    );
  }

  const settle = (audio: string): void => {
    offered.value = offered.value.filter((o) => o.audio !== audio);
  };

  return { waves, readings, busy, offered, readingOf, soundingOf, bringIn, bringInto, settle };
});

const nameOf = (file: File): string => file.name.replace(/\.[a-z0-9]{2,5}$/i, '').slice(0, LONGEST_NAME) || 'Backing';
