import { defineStore } from 'pinia';
import { computed } from 'vue';
import { barsMeant } from '~~/core/client/barsMeant';
import { formOf, type Bars } from '~~/core/client/meant';
import { newNotes } from '~~/core/client/newNotes';
import { noteLines, type NoteLine } from '~~/core/client/noteLines';
import {
  mayBeDone,
  noteBarsWords,
  fingerprintOfBars,
  fingerprintsThen,
  type SongFingerprints,
} from '~~/core/client/noteStates';
import type { ClientNote } from '~~/core/document/clientNote';
import { partFingerprints } from '~~/core/reading/barStates';
import { barAt, barStart } from '~~/core/time/meter';
import { LONGEST_NOTE, MOST_NOTE_STRETCHES, MOST_NOTES } from '~~/core/vocabulary/limits';
import { many } from '~~/core/vocabulary/many';
import { besideEachOther } from '~/drawing/noteMark';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useSession } from '~/transport/session';
import { useRange } from '~/transport/useRange';

/**
 * Note as it is shown: its number in the client's order, its bars in words, and possible bars where they are not known.
 */
export interface ShownNote {
  readonly note: ClientNote;
  readonly number: number;
  readonly where: string;
  readonly choices: readonly { readonly bars: readonly Bars[]; readonly words: string }[];
}

/** Notes on the open song, by the client and the player. */
export const useClientNotes = defineStore('client notes', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const session = useSession();
  const range = useRange();

  const all = computed((): readonly ClientNote[] => song.document?.clientNotes ?? []);
  const open = computed(() => all.value.filter((n) => !n.done).length);

  const form = computed(() => {
    const { meter } = openSong.maps;
    const notes = [...reading.lines.values()].flatMap((line) => line.notes);
    const bars = notes.length > 0 ? notes.map((n) => Math.max(1, barAt(meter, n.start))) : [1, openSong.document.bars];
    const last = bars.reduce((a, b) => Math.max(a, b), 1);
    const first = bars.reduce((a, b) => Math.min(a, b), last);
    return formOf(openSong.document, openSong.maps, { first, last: Math.min(last, openSong.document.bars) });
  });
  const canBe = (bars: readonly Bars[]): boolean => bars.length > 0 && bars.length <= MOST_NOTE_STRETCHES;
  const shown = computed((): ShownNote[] =>
    all.value.map((note, i) => ({
      ...{ note, number: i + 1, where: noteBarsWords(note.bars, form.value) },
      choices: note.bars
        ? []
        : barsMeant(note.text, form.value)
            .choices.filter(canBe)
            .map((bars) => ({ bars, words: noteBarsWords(bars, form.value) })),
    })),
  );
  /** Marks for open notes, by bar. */
  const marks = computed(() =>
    besideEachOther(
      all.value.flatMap(({ bars, done }, i) => (bars && !done ? [{ number: i + 1, bar: bars[0]!.first }] : [])),
    ),
  );

  const fingerprints = computed((): SongFingerprints => {
    const opened = openSong.document;
    const parts = opened.parts.filter((p) => !p.away);
    const fingerprintOf = (part: (typeof parts)[number]) =>
      partFingerprints(part, reading.lines.get(part.id)!, layers.closed, opened, openSong.maps);
    return new Map(parts.map((part) => [part.id, fingerprintOf(part)]));
  });
  const mayBe = (note: ClientNote): boolean => mayBeDone(note, fingerprints.value);
  const heardAt = (bars: readonly Bars[]): string =>
    fingerprintOfBars(bars, fingerprintsThen(openSong.document, fingerprints.value));

  const linesOf = (text: string): readonly NoteLine[] => noteLines(text, form.value);
  /** Reason why lines cannot be added as notes; empty where they can. */
  function refusalOf(lines: readonly NoteLine[]): string {
    const room = MOST_NOTES - all.value.length;
    if (lines.length > room)
      return `That is ${many(lines.length, 'note')}; a song holds ${MOST_NOTES}, and there is room for ${room}.`;
    const long = lines.find((line) => line.text.length > LONGEST_NOTE);
    return long ? `“${long.text.slice(0, 40)} …” is longer than ${LONGEST_NOTE} letters. Split it first.` : '';
  }
  /** Adds lines as notes, each with its bars where they are certain. */
  function add(lines: readonly NoteLine[]): void {
    const versions = Math.max(0, ...openSong.document.parts.map((p) => p.handed?.version ?? 0));
    const notes = newNotes(lines, form.value, versions || null, heardAt, () => crypto.randomUUID());
    song.run({ type: 'add client notes', notes });
  }

  const set = (note: ClientNote, to: Partial<Pick<ClientNote, 'text' | 'bars' | 'heard' | 'done'>>): void =>
    song.run({ type: 'set client note', note: note.id, to });
  const setBars = (note: ClientNote, bars: readonly Bars[]): void => set(note, { bars, heard: heardAt(bars) });
  /** Sets a note's bars from text: "12-14", "second chorus". @returns false where the text names no certain bars */
  function typeBars(note: ClientNote, text: string): boolean {
    const { bars } = barsMeant(/^\s*\d/.test(text) && !text.includes(':') ? `bars ${text}` : text, form.value);
    if (canBe(bars)) setBars(note, bars);
    return canBe(bars);
  }
  const tick = (note: ClientNote): void => set(note, { done: note.done ? null : { answer: '', in: null } });
  const answer = (note: ClientNote, text: string): void =>
    set(note, { done: { answer: text.trim(), in: note.done?.in ?? null } });
  const takeOut = (note: ClientNote): void => song.run({ type: 'take client note out', note: note.id });

  /** Selects a note's bars, from its first to its last, and moves the playhead there. */
  function go({ bars }: ClientNote): void {
    if (!bars) return;
    const { meter } = openSong.maps;
    const from = barStart(meter, bars[0]!.first);
    range.setRange({ from, to: barStart(meter, bars.at(-1)!.last + 1) });
    session.seek(from);
  }

  return { all, open, shown, marks, mayBe, linesOf, refusalOf, add, setBars, typeBars, tick, answer, takeOut, go };
});
