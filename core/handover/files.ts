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

/** File of a delivery with what its name is made from. */
interface Named {
  /** Name of the part, or of what else is in it. */
  readonly what: string;
  readonly ending: string;
  readonly file: Unnamed;
}

function midiFiles(parts: readonly Part[], { midi, midiType: format, asPlayed, tempoMap }: Delivery): Named[] {
  const variants = asPlayed ? [false, true] : [false];
  const played = (on: boolean) => (on ? ' as played' : '');
  const ending = 'mid';
  // For a single part, the file with all parts is the file of the part.
  const together = (midi === 'together' && parts.length > 0) || (midi === 'both' && parts.length > 1);
  const apart = midi === 'apart' || midi === 'both';
  const all = (on: boolean): Named => ({
    ...{ what: `all parts${played(on)}`, ending },
    file: { type: 'midi', parts: parts.map((p) => p.id), played: on, format: 1 },
  });
  const own = (part: Part, on: boolean): Named => ({
    ...{ what: part.name + played(on), ending },
    file: { type: 'midi', parts: [part.id], played: on, format },
  });
  return [
    ...(together ? variants.map(all) : []),
    ...(apart ? parts.flatMap((part) => variants.map((on) => own(part, on))) : []),
    ...(tempoMap ? [{ what: 'tempo map', ending, file: { type: 'tempo' } } as const] : []),
  ];
}

function soundFiles(parts: readonly Part[], delivery: Delivery): Named[] {
  const ending = formatOf(delivery);
  const levels = { none: [], dry: [false], 'with level': [true], both: [false, true] }[delivery.audio];
  const own = (part: Part, level: boolean): Named => ({
    ...{ what: part.name + (level && levels.length > 1 ? ' with level' : ''), ending },
    file: { type: 'audio', part: part.id, level },
  });
  const files = parts.flatMap((part) => levels.map((level) => own(part, level)));
  if (delivery.click === 'none') return files;
  return [...files, { what: 'click', ending, file: { type: 'click', accents: delivery.click === 'accented' } }];
}

/** The client's own files: backings and pages, each once. */
function clientFiles(song: SongDocument, { backing, pages }: Delivery, endings: Record<string, string>): Named[] {
  const once = song.backings.filter((b, i, all) => all.findIndex((o) => o.audio === b.audio) === i);
  const ending = (hash: string): string => endings[hash] ?? 'bin';
  const backings = once.map(({ name, audio: hash, offset }): Named => ({
    ...{ what: `backing ${name}`, ending: ending(hash) },
    file: { type: 'backing', hash, offset },
  }));
  const sheets = [...new Set(song.sheet.pages.map((p) => p.file))].map((hash): Named => ({
    ...{ what: 'sheet', ending: ending(hash) },
    file: { type: 'pages', hash },
  }));
  return [...(backing ? backings : []), ...(pages ? sheets : [])];
}

const SHEETS: readonly Named[] = [
  { what: 'cue sheet', ending: 'txt', file: { type: 'cues' } },
  { what: 'delivery note', ending: 'txt', file: { type: 'note' } },
  { what: 'delivery note', ending: 'html', file: { type: 'page' } },
];

/** Files of a delivery in the order of their list, with unique names. @param parts those that go out */
export function filesOf(
  song: SongDocument,
  parts: readonly Part[],
  delivery: Delivery,
  { job, version, endings = {} }: DeliveryFacts,
): PlannedFile[] {
  const files = [
    ...midiFiles(parts, delivery),
    ...soundFiles(parts, delivery),
    ...clientFiles(song, delivery, endings),
    ...(delivery.sheets ? SHEETS : []),
  ];
  const keyNow = keyInBar(song, 1);
  const facts = { job, song: song.title, tempo: tempoWords(song), key: keyNow ? keyWords(keyNow) : '', version };
  // A pattern without the part would give all files one name.
  const pattern = delivery.names.includes('{part}') ? delivery.names : `${delivery.names} - {part}`;
  const names = files.map(({ what, ending }) => `${nameBy(pattern, { ...facts, part: what })}.${ending}`);
  return eachOnce(names).map((name, i) => ({ ...files[i]!.file, name }) as PlannedFile);
}
