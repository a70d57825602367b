import { computed } from 'vue';
import { bytesPerSample } from '~~/core/files/wav';
import { writeMidiFile } from '~~/core/files/smf';
import { formatOf } from '~~/core/handover/delivery';
import type { PlannedFile } from '~~/core/handover/files';
import { midiSongOf } from '~~/core/handover/midi';
import { clockWords, levelWords, sizeWords } from '~~/core/handover/sheets';
import type { Run } from '~/api/api';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useDelivery } from './delivery';
import { useRun } from './run';

/** Row of a file: as planned, and once it is made as it is. */
export interface FileRow {
  readonly file: PlannedFile;
  readonly what: string;
  readonly length: string;
  readonly size: string;
  /** Loudness in words; empty before the file is made. */
  readonly loudness: string;
  readonly peak: string;
  /** True if its peaks exceed full scale. */
  readonly clips: boolean;
}

/** Typical size of FLAC as a share of WAV. */
const FLAC_SHARE = 0.45;
const STEREO = 2;

/** Files of the delivery, with lengths and sizes. */
export function useFileRows() {
  const openSong = useOpenSong();
  const reading = useReading();
  const out = useDelivery();
  const run = useRun();

  /** Bytes of a MIDI file, which are quick to make. */
  function midiBytes(file: PlannedFile): Uint8Array | null {
    const { resolution, markers, tuned } = out.delivery;
    if (file.type === 'tempo')
      return writeMidiFile(midiSongOf(openSong.document, [], reading.readTake, { resolution, markers }), {
        resolution,
      });
    if (file.type !== 'midi') return null;
    const parts = file.parts.map((id) => openSong.document.parts.find((p) => p.id === id)!);
    const wish = { played: file.played, resolution, markers, tuned };
    const made = midiSongOf(openSong.document, parts, reading.readTake, wish);
    return writeMidiFile(made, { format: file.format, resolution });
  }

  function whatOf(file: PlannedFile): string {
    const partOf = (id: string) => openSong.document.parts.find((p) => p.id === id);
    const nameOf = (id: string) => partOf(id)?.name ?? '';
    const sound = (id: string) => (partOf(id)?.heardAs === 'recorded' ? `${nameOf(id)} as recorded` : nameOf(id));
    switch (file.type) {
      case 'midi':
        return [
          `MIDI of ${file.parts.length > 1 ? 'all parts' : nameOf(file.parts[0]!)}`,
          ...(file.played ? ['as played'] : []),
        ].join(', ');
      case 'tempo':
        return 'tempo, meter and sections';
      case 'audio':
        return `${sound(file.part)}, ${file.level ? 'with level' : 'dry'}`;
      case 'click':
        return file.accents ? 'click with accents' : 'plain click';
      case 'backing':
        return 'backing as it came';
      case 'pages':
        return 'the client’s pages as they came';
      case 'cues':
        return 'cue sheet';
      case 'note':
        return 'delivery note';
      case 'page':
        return 'delivery note, to print';
    }
  }

  function expected(file: PlannedFile): FileRow {
    const { endSeconds } = openSong.maps;
    const { rate, depth, ends } = out.delivery;
    const common = { file, what: whatOf(file), loudness: '', peak: '', clips: false };
    const midi = midiBytes(file);
    if (midi) return { ...common, length: clockWords(endSeconds), size: sizeWords(midi.length) };
    if (file.type !== 'audio' && file.type !== 'click') return { ...common, length: '', size: '' };
    const wav = Math.round(endSeconds * rate) * STEREO * bytesPerSample(depth);
    const flac = formatOf(out.delivery) === 'flac';
    const rings = ends === 'song' ? '' : ' and its ring';
    return {
      ...common,
      length: clockWords(endSeconds) + rings,
      size: flac || rings ? `about ${sizeWords(flac ? wav * FLAC_SHARE : wav)}` : sizeWords(wav),
    };
  }

  function made({ file, bytes, seconds, levels }: Run['files'][number]): FileRow {
    return {
      ...{ file, what: whatOf(file) },
      length: seconds === null ? '' : clockWords(seconds),
      size: sizeWords(bytes),
      loudness: levels ? levelWords(levels.loudness, 'LUFS') : '',
      peak: levels ? levelWords(levels.truePeak, 'dB') : '',
      clips: levels !== null && levels.truePeak > 0 && out.delivery.depth === '24-bit',
    };
  }

  /** Rows of finished files show their facts; the note of a new delivery is written when it goes out. */
  const rows = computed((): FileRow[] => {
    const ready = run.run?.state === 'ready' ? run.run.files : [];
    if (ready.length === 0) return out.files.map(expected);
    const there = new Set(ready.map((f) => f.file.name));
    const late = run.run!.handed
      ? []
      : out.files.filter((f) => (f.type === 'note' || f.type === 'page') && !there.has(f.name));
    return [...ready.map(made), ...late.map(expected)];
  });
  return { rows, midiBytes };
}
