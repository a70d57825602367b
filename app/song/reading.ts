import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import { mapsOf, type SongMaps } from '~~/core/document/maps';
import { atHand, noPartWords, type Part } from '~~/core/document/part';
import { transpositionOf } from '~~/core/document/transposition';
import { NOT_TRANSPOSED, type Transposition } from '~~/core/performance/transposition';
import { writtenNow } from '~~/core/client/writtenPart';
import type { WrittenBar } from '~~/core/document/writtenBar';
import { asItWasPlayed, lineOf, readerOf, untreatedLine, type TakeReader } from '~~/core/reading/reading';
import { treatedSoFar, type TreatedReading } from '~~/core/timing/treatment';
import { soundsOf, type HeardSound, type SoundSources } from '~~/core/reading/sound';
import { findLines } from './findingLines';
import { useLayers } from './layers';
import { useRecordings } from './recordings';
import { useSong } from './song';

interface KnownLine {
  readonly part: Part;
  readonly read: TakeReader;
  readonly maps: SongMaps;
  readonly line: TreatedReading;
  /** Search for its grid lines that is under way; until it ends the line is the last one known. */
  readonly finding: Finding | null;
}
/** Search for the grid lines of a long part, in a worker. */
interface Finding {
  readonly ends: Promise<void>;
  ended: boolean;
}
/** Fields of a part that decide how its line reads. */
const KEYS = ['takes', 'comp', 'lanes', 'joins', 'treatments', 'decided'] as const;
const sameLine = (a: Part, b: Part): boolean => KEYS.every((key) => a[key] === b[key]);

/** The open song as it is read: maps, lines of all parts, and the part that is shown. */
export const useReading = defineStore('reading', () => {
  const song = useSong();
  const layers = useLayers();
  const recordings = useRecordings();

  /** Tempo, meter and length of the song. The object changes only when they do. */
  const form = computed<Pick<SongDocument, 'tempo' | 'meter' | 'bars'> | undefined>((before) => {
    const now = song.document;
    if (!now) return undefined;
    const same = before?.tempo === now.tempo && before.meter === now.meter && before.bars === now.bars;
    return same ? before : now;
  });
  /** Maps compiled from them, once for each form. */
  const maps = computed(() => (form.value ? mapsOf(form.value) : null));

  const clocks = computed(() => song.document?.clocks ?? []);
  /** Transposition of the song. The object changes only when the transposition does. */
  const transposition = computed((before?: Transposition): Transposition => {
    const all = song.document?.transposition ?? [];
    if (all.length === 0 || !maps.value) return NOT_TRANSPOSED;
    const now = transpositionOf(all, maps.value.meter);
    return JSON.stringify(now) === JSON.stringify(before) ? before! : now;
  });
  /** Written part in the key in which its bars sound. The object changes only when it does. */
  const written = computed((before?: readonly WrittenBar[]): readonly WrittenBar[] => {
    const now = song.document ? writtenNow(song.document) : [];
    return before && JSON.stringify(before) === JSON.stringify(now) ? before : now;
  });
  /** Reads each take once for as long as the layers stay. */
  const reader = computed(() => readerOf(layers.closed, clocks.value, transposition.value));
  const readTake = computed(() => reader.value.read);

  /** Counter that goes up whenever a search for lines has ended. */
  const linesFound = ref(0);
  function beginFinding(part: Part, read: TakeReader, opened: SongDocument, now: SongMaps): Finding | null {
    const ends = findLines(part, read, part.treatments, opened, now);
    if (!ends) return null;
    const finding: Finding = { ends, ended: false };
    // Lines that the worker could not find are found on the page.
    const end = (): void => {
      finding.ended = true;
      linesFound.value += 1;
    };
    void ends.then(end, end);
    return finding;
  }

  /** Line of each part. A part that has not changed keeps its object, and so does the map when none has. */
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
      // A search that ended without a result is done here.
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

  /** Parts whose grid lines are being found; until then their last known line is shown and heard. */
  const unfound = computed(() => new Set([...known.value].filter(([, { finding }]) => finding).map(([part]) => part)));
  /** Resolves when every line is what its treatments make of it. */
  async function settled(): Promise<void> {
    for (;;) {
      const waits = [...known.value.values()].flatMap(({ finding }) => finding?.ends ?? []);
      if (waits.length === 0) return;
      await Promise.allSettled(waits);
    }
  }

  /** Lines as they were played, without hand edits and treatments, for the parts that somebody asked for. */
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
  /** Recorded sound of parts that are heard as recorded. The object changes only when it does. */
  const sounds = computed<ReadonlyMap<string, readonly HeardSound[]>>((before) => {
    const now = song.document && maps.value ? soundsOf(song.document, sources.value, maps.value, lineNow) : new Map();
    return before && JSON.stringify([...before]) === JSON.stringify([...now]) ? before : now;
  });

  /** First recorded sound of those parts whose line was sounded again since. */
  const playedSounds = computed<ReadonlyMap<string, readonly HeardSound[]>>(() => {
    const again = song.document?.parts.filter((p) => p.soundedAgain.length > 0) ?? [];
    return maps.value ? soundsOf({ parts: again.map(asItWasPlayed) }, sources.value, maps.value) : new Map();
  });

  const shownId = ref<string | null>(null);
  /** Part on the chart and in Tidy: the one that is selected, otherwise the one that is armed. */
  const shown = computed((): Part | undefined => {
    const parts = atHand(song.document?.parts ?? []);
    const byId = (id: string | null | undefined): Part | undefined => parts.find((p) => p.id === id);
    return byId(shownId.value) ?? byId(song.document?.brief.part) ?? parts[0];
  });

  /** Sentence for a song without a part to show. */
  const noPart = computed(() => noPartWords(song.document?.parts ?? []));

  /** Take that the piano roll shows instead of the line, and the take beneath it for comparison. */
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
