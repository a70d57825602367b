import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import { mapsOf, type SongMaps } from '~~/core/document/maps';
import { atHand, noPartWords, type Part } from '~~/core/document/part';
import { transpositionOf } from '~~/core/document/transposition';
import { NOT_TRANSPOSED, type Transposition } from '~~/core/performance/transposition';
import { writtenNow } from '~~/core/client/written';
import type { WrittenBar } from '~~/core/document/writtenBar';
import { asItWasPlayed, lineOf, readerOf, untreatedLine, type TakeReader } from '~~/core/song/reading';
import { treatedSoFar, type TreatedReading } from '~~/core/timing/treatment';
import { soundsOf, type HeardSound, type SoundSources } from '~~/core/song/sound';
import { findLines } from './findingLines';
import { useLayers } from './layers';
import { useRecordings } from './recordings';
import { useSong } from './song';

interface KnownLine {
  readonly part: Part;
  readonly read: TakeReader;
  readonly maps: SongMaps;
  readonly line: TreatedReading;
  /** Its lines are being found: what it reads as so far. */
  readonly finding: Finding | null;
}
/** The lines of a long part on their way from a worker. */
interface Finding {
  readonly ends: Promise<void>;
  ended: boolean;
}
/** Fields of a part that decide how its line reads. */
const KEYS = ['takes', 'comp', 'lanes', 'joins', 'treatments', 'decided'] as const;
const sameLine = (a: Part, b: Part): boolean => KEYS.every((key) => a[key] === b[key]);

/** The open song as it is read: its maps, its parts' lines, and which part is looked at. */
export const useReading = defineStore('reading', () => {
  const song = useSong();
  const layers = useLayers();
  const recordings = useRecordings();

  /** The tempo, meter and length of the song; the same as long as they are. */
  const form = computed<Pick<SongDocument, 'tempo' | 'meter' | 'bars'> | undefined>((before) => {
    const now = song.document;
    if (!now) return undefined;
    const same = before?.tempo === now.tempo && before.meter === now.meter && before.bars === now.bars;
    return same ? before : now;
  });
  /** They are compiled once for as long as they stay. */
  const maps = computed(() => (form.value ? mapsOf(form.value) : null));

  const clocks = computed(() => song.document?.clocks ?? []);
  /** The same for as long as it is; a song that is not transposed has the one that says so. */
  const transposition = computed((before?: Transposition): Transposition => {
    const all = song.document?.transposition ?? [];
    if (all.length === 0 || !maps.value) return NOT_TRANSPOSED;
    const now = transpositionOf(all, maps.value.meter);
    return JSON.stringify(now) === JSON.stringify(before) ? before! : now;
  });
  /** The written part in the key that its bars sound in; the same for as long as it is. */
  const written = computed((before?: readonly WrittenBar[]): readonly WrittenBar[] => {
    const now = song.document ? writtenNow(song.document) : [];
    return before && JSON.stringify(before) === JSON.stringify(now) ? before : now;
  });
  /** Reads each take once for as long as the layers stay. */
  const reader = computed(() => readerOf(layers.closed, clocks.value, transposition.value));
  const readTake = computed(() => reader.value.read);

  /** Counts up as lines have been found. */
  const linesFound = ref(0);
  function beginFinding(part: Part, read: TakeReader, opened: SongDocument, now: SongMaps): Finding | null {
    const ends = findLines(part, read, part.treatments, opened, now);
    if (!ends) return null;
    const finding: Finding = { ends, ended: false };
    // Lines that could not be found there are found here.
    const end = (): void => {
      finding.ended = true;
      linesFound.value += 1;
    };
    void ends.then(end, end);
    return finding;
  }

  /** Each part's line. One that nothing has changed is the very same as before, and so is the whole then. */
  const known = computed<ReadonlyMap<string, KnownLine>>((before) => {
    void linesFound.value;
    const opened = song.document;
    if (!opened || !maps.value) return new Map();
    const read = readTake.value;
    const now = opened.parts.map((part): KnownLine => {
      const old = before?.get(part.id);
      const isSame = old && old.read === read && old.maps === maps.value && sameLine(old.part, part);
      if (isSame && !old.finding?.ended) return old;
      const known = { part, read, maps: maps.value! };
      // A finding that ended without them is made up for here.
      const finding = isSame ? null : beginFinding(part, read, opened, maps.value!);
      if (!finding) return { ...known, line: lineOf(part, read, maps.value!), finding };
      return { ...known, line: treatedSoFar(untreatedLine(part, read), old?.line), finding };
    });
    if (before?.size === now.length && now.every((k) => before.get(k.part.id) === k)) return before;
    return new Map(now.map((k) => [k.part.id, k]));
  });
  const lines = computed(
    (): ReadonlyMap<string, TreatedReading> => new Map([...known.value].map(([part, { line }]) => [part, line])),
  );

  /** Parts whose lines are being found: what is shown and heard of them is what is known so far. */
  const unfound = computed(() => new Set([...known.value].filter(([, { finding }]) => finding).map(([part]) => part)));
  /** Resolves when every line is what its treatments make of it. */
  async function settled(): Promise<void> {
    for (;;) {
      const waits = [...known.value.values()].flatMap(({ finding }) => finding?.ends ?? []);
      if (waits.length === 0) return;
      await Promise.allSettled(waits);
    }
  }

  /**
   * Notes as they were played, without changes by hand and treatments, of the parts that were asked for since they
   * changed.
   */
  const played = new WeakMap<Part, { readonly read: TakeReader; readonly line: TreatedReading }>();
  function playedLine(part: Part): TreatedReading {
    const read = readTake.value;
    const there = played.get(part);
    if (there?.read === read) return there.line;
    const line = lineOf(asItWasPlayed(part), read, maps.value!);
    played.set(part, { read, line });
    return line;
  }

  const sources = computed((): SoundSources => ({
    ...{ layers: layers.closed, recordings: recordings.all, clocks: clocks.value, read: readTake.value },
    transposition: transposition.value,
  }));
  const lineNow = (part: Part): TreatedReading => lines.value.get(part.id)!;
  /** Sound of parts that are heard as their recorded sound; the same as long as it stays. */
  const sounds = computed<ReadonlyMap<string, readonly HeardSound[]>>((before) => {
    const now = song.document && maps.value ? soundsOf(song.document, sources.value, maps.value, lineNow) : new Map();
    return before && JSON.stringify([...before]) === JSON.stringify([...now]) ? before : now;
  });

  /** First sound of those of them whose line was sounded again. */
  const playedSounds = computed<ReadonlyMap<string, readonly HeardSound[]>>(() => {
    const again = song.document?.parts.filter((p) => p.soundedAgain.length > 0) ?? [];
    return maps.value ? soundsOf({ parts: again.map(asItWasPlayed) }, sources.value, maps.value) : new Map();
  });

  const shownId = ref<string | null>(null);
  /** The part on the chart and in Tidy: the one that was chosen, else the one that hears the keys. */
  const shown = computed((): Part | undefined => {
    const parts = atHand(song.document?.parts ?? []);
    const byId = (id: string | null | undefined): Part | undefined => parts.find((p) => p.id === id);
    return byId(shownId.value) ?? byId(song.document?.brief.part) ?? parts[0];
  });

  /** Words for there being none. */
  const noPart = computed(() => noPartWords(song.document?.parts ?? []));

  /** A take that the piano roll shows in place of the line, and the other that lies in pencil beneath it. */
  const compared = shallowRef<{ readonly part: string; readonly take: string; readonly beneath: string } | null>(null);

  return {
    ...{
      sources,
      sounds,
      playedSounds,
      maps,
      transposition,
      written,
      reader,
      readTake,
      lines,
      unfound,
      settled,
      playedLine,
    },
    ...{ shownId, shown, noPart, compared },
  };
});
