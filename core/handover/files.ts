import type { SongMaps } from '../document/maps';
import type { Reading } from '../performance/notes';
import type { Layers } from '../reading/reading';
import { soundRanges } from '../reading/sound';
import type { Part } from '../document/part';
import type { SongDocument } from '../document/document';
import { keyInBar } from '../document/transposition';
import { keyWords } from '../vocabulary/key';
import { eachOnce, formatOf, nameBy, type Delivery } from './delivery';

/** File of a delivery: its content and its name. */
export type PlannedFile = { readonly name: string } & (
  | { readonly type: 'midi'; readonly parts: readonly string[]; readonly played: boolean; readonly format: 0 | 1 }
  | { readonly type: 'tempo' }
  | { readonly type: 'audio'; readonly part: string; readonly level: boolean }
  | { readonly type: 'click'; readonly accents: boolean }
  | { readonly type: 'backing'; readonly hash: string; readonly offset: number }
  | { readonly type: 'pages'; readonly hash: string }
  | { readonly type: 'cues' | 'note' | 'page' }
);
type Unnamed = PlannedFile extends infer F ? (F extends { readonly name: string } ? Omit<F, 'name'> : never) : never;

const tempoWords = ({ tempo }: SongDocument): string => {
  const bpms = tempo.map((t) => Math.round(t.bpm * 10) / 10);
  const [least, most] = [Math.min(...bpms), Math.max(...bpms)];
  return least === most ? `${least} bpm` : `${least}-${most} bpm`;
};

export interface DeliveryFacts {
  readonly job: string;
  readonly version: number;
  /** File endings of the song's files, by content hash. */
  readonly endings?: Readonly<Record<string, string>>;
}

/** Test for a part with something to hand over: notes in the song, or recorded sound. */
export const hasSomething = (
  part: Part,
  { notes }: Reading,
  layers: Layers,
  { clocks }: Pick<SongDocument, 'clocks'>,
  { end }: Pick<SongMaps, 'end'>,
): boolean =>
  notes.some((n) => n.end > 0 && n.start < end) ||
  (part.heardAs === 'recorded' && soundRanges(part, layers, { clocks }).some((s) => s.to > 0 && s.from < end));

/** Parts that a client gets, also those without notes: not put away, and not left out. */
export const partsWanted = (song: SongDocument, { leftOut }: Pick<Delivery, 'leftOut'>): Part[] =>
  song.parts.filter((p) => !p.away && !leftOut.includes(p.id));

/** Parts that go out: those that a client gets, with something in them. */
export const partsGoing = (
  song: SongDocument,
  delivery: Pick<Delivery, 'leftOut'>,
  hasAny: (part: Part) => boolean,
): Part[] => partsWanted(song, delivery).filter(hasAny);

/** Files of a delivery in the order of their list, with unique names. @param parts those that go out */
export function filesOf(
  song: SongDocument,
  parts: readonly Part[],
  delivery: Delivery,
  { job, version, endings = {} }: DeliveryFacts,
): PlannedFile[] {
  const keyNow = keyInBar(song, 1);
  const facts = { job, song: song.title, tempo: tempoWords(song), key: keyNow ? keyWords(keyNow) : '', version };
  const files: Unnamed[] = [];
  const names: string[] = [];
  const add = (part: string, ending: string, file: Unnamed): void => {
    files.push(file);
    // A pattern without the part would give all files one name.
    const pattern = delivery.names.includes('{part}') ? delivery.names : `${delivery.names} - {part}`;
    names.push(`${nameBy(pattern, { ...facts, part })}.${ending}`);
  };
  const variants = delivery.asPlayed ? [false, true] : [false];
  const played = (on: boolean) => (on ? ' as played' : '');
  const { midi, midiType: format } = delivery;
  // For a single part, the file with all parts is the file of the part.
  if ((midi === 'together' && parts.length > 0) || (midi === 'both' && parts.length > 1))
    for (const on of variants)
      add(`all parts${played(on)}`, 'mid', { type: 'midi', parts: parts.map((p) => p.id), played: on, format: 1 });
  if (midi === 'apart' || midi === 'both')
    for (const part of parts)
      for (const on of variants)
        add(part.name + played(on), 'mid', { type: 'midi', parts: [part.id], played: on, format });
  if (delivery.tempoMap) add('tempo map', 'mid', { type: 'tempo' });
  const sound = formatOf(delivery);
  const levels = { none: [], dry: [false], 'with level': [true], both: [false, true] }[delivery.audio];
  for (const part of parts)
    for (const level of levels)
      add(part.name + (level && levels.length > 1 ? ' with level' : ''), sound, {
        type: 'audio',
        part: part.id,
        level,
      });
  if (delivery.click !== 'none') add('click', sound, { type: 'click', accents: delivery.click === 'accented' });
  if (delivery.backing)
    for (const { name, audio: hash, offset } of song.backings.filter(
      (b, i, all) => all.findIndex((o) => o.audio === b.audio) === i,
    ))
      add(`backing ${name}`, endings[hash] ?? 'bin', { type: 'backing', hash, offset });
  if (delivery.pages)
    for (const hash of new Set(song.sheet.pages.map((p) => p.file)))
      add('sheet', endings[hash] ?? 'bin', { type: 'pages', hash });
  if (delivery.sheets) {
    add('cue sheet', 'txt', { type: 'cues' });
    add('delivery note', 'txt', { type: 'note' });
    add('delivery note', 'html', { type: 'page' });
  }
  return eachOnce(names).map((name, i) => ({ ...files[i]!, name }) as PlannedFile);
}
