import { many } from '../vocabulary/many';
import { formOf } from '../client/meant';
import { answeredIn, noteBarsWords } from '../client/noteStates';
import { writtenNow, writtenText } from '../client/writtenPart';
import { XMLBuilder } from 'fast-xml-parser';
import type { ClientNote } from '../document/clientNote';
import type { SongDocument } from '../document/document';
import { keyInBar, transpositionWords } from '../document/transposition';
import { sectionsOf, type SongMaps } from '../document/maps';
import { heardWords, type Part } from '../document/part';
import { barAt } from '../time/meter';
import { secondsAt } from '../time/tempo';
import { barsWords, rangeWords } from '../time/words';
import type { Seconds } from '../time/units';
import { treatedWords } from '../timing/words';
import { keyWords } from '../vocabulary/key';
import { tuningWords } from '../vocabulary/tuning';
import { deliveryPhrases, type Delivery } from './delivery';
import type { PlannedFile } from './files';
import type { Levels } from './loudness';

/** Written file, as the delivery note lists it. */
export interface WrittenFile {
  readonly file: PlannedFile;
  readonly bytes: number;
  /** SHA-256, in hex. */
  readonly sha256: string;
  readonly seconds: Seconds | null;
  readonly levels: Levels | null;
}

/** Facts for the delivery note. */
export interface NoteFacts {
  readonly job: { readonly title: string; readonly client: string };
  readonly version: number;
  /** ISO 8601. */
  readonly at: string;
  /** Changes since the version before, in words; null for the first. */
  readonly changed: readonly string[] | null;
  /** True if it contains changed parts only. */
  readonly onlyChanged: boolean;
  readonly files: readonly WrittenFile[];
}

/** Time such as "3:07.500". */
export function clockWords(seconds: Seconds): string {
  const ms = Math.round(seconds * 1000);
  const minutes = Math.floor(ms / 60_000);
  return `${minutes}:${((ms % 60_000) / 1000).toFixed(3).padStart(6, '0')}`;
}
const bpmWords = (bpm: number): string => String(Math.round(bpm * 100) / 100);
const column = (rows: readonly (readonly string[])[]): string[] => {
  const widths = (rows[0] ?? []).map((_, c) => Math.max(...rows.map((r) => [...(r[c] ?? '')].length)));
  return rows.map((r) =>
    r
      .map((cell, c) => cell.padEnd(widths[c]!))
      .join('   ')
      .trimEnd(),
  );
};

/** Words for the keys that a song sounds in, with the distance from the written one; empty where neither is known. */
function keysOf({ key, transposition, bars }: SongDocument): string[] {
  const words = transpositionWords(transposition, bars);
  const moved = words ? [`transposed ${words}`] : [];
  if (!key) return moved;
  const firsts = [1, ...transposition.filter((t) => t.bar > 1 && t.bar <= bars).map((t) => t.bar)];
  const keys = firsts.map((bar) => keyWords(keyInBar({ key, transposition }, bar)!));
  const [first, ...others] = keys.map((words, i) => (i === 0 ? words : `${words} from bar ${firsts[i]!}`));
  return [[first, ...others].join(', '), ...moved];
}

/** Cue sheet: bars, times, sections, meter and tempo. @param backings true to give their places against bar 1 */
export function cueSheet(song: SongDocument, maps: SongMaps, backings = false): string {
  const { tempo, meter } = maps;
  const rows: { at: number; what: string }[] = [
    ...sectionsOf(song, meter).flatMap((s) =>
      s.name ? [{ at: s.from, what: `${s.name}, ${barsWords({ from: s.from, to: s.to }, meter)}` }] : [],
    ),
    ...meter.spans.map((s) => ({ at: s.tick, what: `meter ${s.beats}/${s.unit}` })),
    ...song.tempo.map((t) => ({
      at: t.tick,
      what: `tempo ${bpmWords(t.bpm)}${t.ramp === 'linear' ? ', going over into the next' : ''}`,
    })),
  ].sort((a, b) => a.at - b.at);
  const lines = column([
    ['Bar', 'Time', ''],
    ...rows.map(({ at, what }) => [String(barAt(meter, at)), clockWords(Math.max(0, secondsAt(tempo, at))), what]),
    [String(song.bars + 1), clockWords(maps.endSeconds), 'end of the song'],
  ]);
  const against = ({ name, offset }: SongDocument['backings'][number]): string => {
    if (offset === 0) return `${name} begins at bar 1`;
    return `${name} begins ${clockWords(Math.abs(offset))} ${offset < 0 ? 'before' : 'after'} bar 1`;
  };
  const pitch =
    backings && song.transposition.length > 0 && song.backings.some((b) => !b.midi)
      ? ['The backings are as they came: in their own key.']
      : [];
  const backingLines = backings ? [...song.backings.filter((b) => !b.midi).map(against), ...pitch] : [];
  const key = [...keysOf(song), ...(song.tuning ? [`tuned to ${tuningWords(song.tuning)}`] : [])];
  const written = writtenText(writtenNow(song), formOf(song, maps));
  const part = written ? [written, ''] : [];
  return [
    song.title,
    ...key,
    '',
    ...lines,
    '',
    ...(backingLines.length > 0 ? [...backingLines, ''] : []),
    ...part,
  ].join('\n');
}

/** Facts of a sound file as iXML (open, iXML specification 2.10). */
export function ixmlOf(song: SongDocument, part: string): string {
  const tempo = song.tempo.map((t) => `${t.tick / 960}: ${bpmWords(t.bpm)}`).join('; ');
  const xml = new XMLBuilder({ format: false }).build({
    BWFXML: {
      IXML_VERSION: '2.10',
      PROJECT: song.title,
      NOTE: part,
      USER: `Tempo, by quarter notes from bar 1: ${tempo}`,
    },
  });
  return `<?xml version="1.0" encoding="UTF-8"?>${xml}`;
}

/** Level such as "−14.2 LUFS". */
export const levelWords = (value: number, unit: string): string =>
  Number.isFinite(value) ? `${value.toFixed(1).replace('-', '−')} ${unit}` : 'silent';
const levelsWords = ({ loudness, truePeak }: Levels): string =>
  `${levelWords(loudness, 'LUFS')}, true peak ${levelWords(truePeak, 'dB')}`;
export function sizeWords(bytes: number): string {
  if (bytes < 1024) return `${bytes} bytes`;
  if (bytes < 1024 ** 2) return `${(bytes / 1024).toFixed(1)} kB`;
  return bytes < 1024 ** 3 ? `${(bytes / 1024 ** 2).toFixed(1)} MB` : `${(bytes / 1024 ** 3).toFixed(2)} GB`;
}

interface PartNote {
  readonly name: string;
  readonly lines: readonly string[];
}

/** Lines of the delivery note about a part: its takes, treatments, and what was left as played. */
function partNote(part: Part, { meter, end }: SongMaps): PartNote {
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  const picks = part.comp
    .filter((p) => p.to > 0 && p.from < end)
    .map((p) => {
      const take = takes.get(p.takeId);
      const where = rangeWords({ from: Math.max(0, p.from), to: Math.min(end, p.to) }, meter);
      return `${where} from take ${take?.number ?? '?'}${take?.name ? ` (${take.name})` : ''}`;
    });
  const treated = treatedWords(part.treatments, { from: 0, to: end }, meter);
  const byHand = part.takes.filter((t) => t.edits.length > 0 && part.comp.some((p) => p.takeId === t.id));
  const hands = byHand.map((t) => `take ${t.number}`).join(', ');
  return {
    name: part.name,
    lines: [
      part.heardAs === 'recorded' ? 'the sound of its own instrument, as recorded' : heardWords(part),
      picks.join('; ') || 'nothing is picked',
      treated ? `treated: ${treated}` : 'left as it was played',
      ...(byHand.length > 0 ? [`changed by hand: ${hands}`] : []),
    ],
  };
}

interface NoteSection {
  readonly title: string;
  readonly lines: readonly string[];
}

function noteSections(
  song: SongDocument,
  parts: readonly Part[],
  delivery: Delivery,
  facts: NoteFacts,
  maps: SongMaps,
) {
  const now = keyInBar(song, 1);
  const key = now && keyWords(now);
  const all = song.parts.filter((p) => !p.away).length;
  const sentence = deliveryPhrases(delivery, { going: parts.length, all }, key)
    .map((p) => p.text)
    .join('');
  const sections: NoteSection[] = [
    {
      title: 'The song',
      lines: [
        `${many(song.bars, 'bar')}, ${clockWords(maps.endSeconds)}; every file begins at bar 1`,
        `tempo ${[...new Set(song.tempo.map((t) => bpmWords(t.bpm)))].slice(0, 8).join(', ')}; meter ` +
          [...new Set(song.meter.map((m) => `${m.beats}/${m.unit}`))].join(', '),
        ...(song.tuning ? [`tuned to ${tuningWords(song.tuning)}`] : []),
        ...(song.transposition.length > 0 ? keysOf(song) : []),
        sentence,
      ],
    },
  ];
  if (facts.changed)
    sections.push({
      title: `Since version ${facts.version - 1}`,
      lines: [
        ...(facts.changed.length > 0 ? facts.changed : ['nothing has changed']),
        ...(facts.onlyChanged ? ['only the parts that changed are in this delivery'] : []),
      ],
    });
  const notes = answeredIn(song.clientNotes, facts.version);
  if (notes.length > 0) {
    const form = formOf(song, maps);
    const answer = ({ text, bars, done }: ClientNote): string => {
      const where = noteBarsWords(bars, form);
      const said = done ? ['done', done.answer].filter(Boolean).join(': ') : 'still open';
      return `“${text}”${where ? ` (${where})` : ''}: ${said}`;
    };
    sections.push({ title: 'What you asked for', lines: notes.map(answer) });
  }
  for (const part of parts) {
    const { name, lines } = partNote(part, maps);
    sections.push({ title: name, lines });
  }
  if (song.waived.length > 0)
    sections.push({ title: 'Left as it is, on purpose', lines: song.waived.map((w) => `${w.words}: ${w.reason}`) });
  return sections;
}

const fileRow = ({ file, bytes, sha256, seconds, levels }: WrittenFile): string[] => [
  file.name,
  seconds === null ? '' : clockWords(seconds),
  sizeWords(bytes),
  levels ? levelsWords(levels) : '',
  sha256,
];
const FILE_HEAD = ['File', 'Length', 'Size', 'Level', 'SHA-256'];

/** Delivery note as text. */
export function deliveryNote(
  song: SongDocument,
  parts: readonly Part[],
  delivery: Delivery,
  facts: NoteFacts,
  maps: SongMaps,
): string {
  const { job, version, at } = facts;
  return [
    `${song.title}, version ${version}`,
    [job.title, job.client, at.slice(0, 10)].filter(Boolean).join(' · '),
    '',
    ...noteSections(song, parts, delivery, facts, maps).flatMap(({ title, lines }) => [
      title,
      ...lines.map((l) => `  ${l}`),
      '',
    ]),
    ...column([FILE_HEAD, ...facts.files.map(fileRow)]),
    '',
  ].join('\n');
}

const escaped = (words: string): string => words.replaceAll(/[&<>"']/g, (c) => `&#${c.codePointAt(0)};`);

/** Delivery note as a page to print, which loads nothing. */
export function deliveryPage(
  song: SongDocument,
  parts: readonly Part[],
  delivery: Delivery,
  facts: NoteFacts,
  maps: SongMaps,
): string {
  const { job, version, at } = facts;
  const title = escaped(`${song.title}, version ${version}`);
  const sections = noteSections(song, parts, delivery, facts, maps)
    .map(({ title: head, lines }) => `<h2>${escaped(head)}</h2>${lines.map((l) => `<p>${escaped(l)}</p>`).join('')}`)
    .join('\n');
  const row = (cells: readonly string[], tag: string) =>
    `<tr>${cells.map((c) => `<${tag}>${escaped(c)}</${tag}>`).join('')}</tr>`;
  return `<!doctype html>
<html lang="en"><meta charset="utf-8"><title>${title}</title>
<style>
body { font: 14px/1.45 Georgia, serif; color: #1d2b33; max-width: 46rem; margin: 2rem auto; padding: 0 1rem; }
h1 { font-size: 1.7rem; margin: 0; } h2 { font-size: 1.05rem; margin: 1.2rem 0 0.2rem; } p { margin: 0.1rem 0; }
table { border-collapse: collapse; width: 100%; margin-top: 1.2rem; font: 11px/1.4 ui-monospace, monospace; }
th, td { text-align: left; padding: 3px 8px 3px 0; border-top: 1px solid #dad0bb; vertical-align: top; }
td:last-child { word-break: break-all; max-width: 18rem; }
</style>
<h1>${title}</h1>
<p>${escaped([job.title, job.client, at.slice(0, 10)].filter(Boolean).join(' · '))}</p>
${sections}
<table>${row(FILE_HEAD, 'th')}${facts.files.map((f) => row(fileRow(f), 'td')).join('\n')}</table>
</html>
`;
}
