import { laneWords } from '../recording/brief';
import { laneOf, type Lane } from '../performance/controls';
import { keyName } from '../performance/messages';
import type { SongMaps } from '../document/maps';
import { positionAt, tickOf } from '../time/meter';
import { secondsAt, tickAt } from '../time/tempo';
import type { TickRange, Ticks } from '../time/units';
import { inRange } from '../time/units';
import type { TreatedNote } from '../timing/treatment';
import type { Shown } from './editedView';

/** Event of a line, as a row of the list. */
export interface Row {
  readonly id: string;
  readonly at: Ticks;
  /** Place where it was played; null for added notes and controllers. */
  readonly played: Ticks | null;
  /** Note, or controller with its value. */
  readonly note?: TreatedNote;
  readonly lane?: Lane;
  readonly value: number;
  /** True for a silenced note. */
  readonly silent?: boolean;
}

export const ROW_KINDS = ['everything', 'notes', 'controllers'] as const;
export type RowKind = (typeof ROW_KINDS)[number];

export interface RowFilter {
  readonly kind: RowKind;
  readonly lane: Lane | null;
  readonly low: number;
  readonly high: number;
  readonly range: TickRange | null;
}

/** All events, in time order. */
export function rowsOf({ line, silent }: Shown, filter: RowFilter): Row[] {
  const isIn = (at: Ticks): boolean => filter.range === null || inRange(at, filter.range);
  const note =
    (quiet: boolean) =>
    (n: TreatedNote): Row[] =>
      isIn(n.start) && n.key >= filter.low && n.key <= filter.high
        ? [
            {
              ...{ id: n.id, at: n.start, played: n.made ? null : n.played.start, note: n, value: n.velocity },
              ...(quiet ? { silent: true } : {}),
            },
          ]
        : [];
  const notes =
    filter.kind === 'controllers' ? [] : [...line.notes.flatMap(note(false)), ...silent.flatMap(note(true))];
  const controls =
    filter.kind === 'notes'
      ? []
      : line.controls.flatMap(({ at, message }, i): Row[] => {
          const lane = laneOf(message);
          const isOf = filter.lane === null || filter.lane === lane;
          return isIn(at) && isOf ? [{ id: `${lane} ${i}`, at, played: null, lane, value: message.value }] : [];
        });
  return [...notes, ...controls].sort((a, b) => a.at - b.at || (a.note?.key ?? -1) - (b.note?.key ?? -1));
}

/** Units of places: bar, beat and tick, or milliseconds from bar 1. */
export const UNITS = ['bars', 'ms'] as const;
export type Unit = (typeof UNITS)[number];

/** Words such as "17·2·120", or milliseconds with one decimal. */
export function placeWords(at: Ticks, unit: Unit, { meter, tempo }: SongMaps): string {
  if (unit === 'ms') return (secondsAt(tempo, at) * 1000).toFixed(1);
  const { bar, beat, tick } = positionAt(meter, Math.round(at));
  return `${bar}·${beat}·${String(Math.round(tick)).padStart(3, '0')}`;
}

/** Place from text such as `placeWords` writes, with any sign between the numbers; undefined for other text. */
export function readPlace(text: string, unit: Unit, { meter, tempo }: SongMaps): Ticks | undefined {
  if (unit === 'ms') {
    const ms = Number(text.trim().replace(',', '.'));
    return text.trim() !== '' && Number.isFinite(ms) ? tickAt(tempo, ms / 1000) : undefined;
  }
  const figures = text.trim().split(/[\s·.:,;|/]+/);
  if (figures.length < 1 || figures.length > 3 || figures.some((f) => !/^-?\d+$/.test(f))) return undefined;
  const [bar, beat = 1, tick = 0] = figures.map(Number);
  if (beat < 1 || tick < 0 || bar! < -8) return undefined;
  const at = tickOf(meter, { bar: bar!, beat, tick });
  return Number.isFinite(at) ? at : undefined;
}

/** Words for a note's length in the unit. */
export const lengthWords = ({ start, end }: TreatedNote, unit: Unit, { tempo }: SongMaps): string =>
  unit === 'ms'
    ? ((secondsAt(tempo, end) - secondsAt(tempo, start)) * 1000).toFixed(1)
    : String(Math.round(end - start));

/** Name of an event, such as "E4" or "sustain". */
export const rowName = ({ note, lane }: Row): string => (note ? keyName(note.key) : laneWords(lane!));

/** Key from text: "E4", "Eb4", "F#3" or its number; undefined for other text. */
export function readKey(text: string): number | undefined {
  const given = text.trim();
  if (/^\d{1,3}$/.test(given)) return Number(given) <= 127 ? Number(given) : undefined;
  const found = /^([a-g])([#♯b♭]?)(-?\d)$/i.exec(given);
  if (!found) return undefined;
  const [, name, sign, octave] = found;
  const step = { c: 0, d: 2, e: 4, f: 5, g: 7, a: 9, b: 11 }[name!.toLowerCase()]!;
  const shift = { '': 0, '#': 1, '♯': 1, b: -1, '♭': -1 }[sign!]!;
  const key = (Number(octave) + 1) * 12 + step + shift;
  return key >= 0 && key <= 127 ? key : undefined;
}

/** List as text: a line for each event, with tabs between fields. */
export function rowsText(title: string, rows: readonly Row[], unit: Unit, maps: SongMaps): string {
  const head = ['At', 'Event', 'Value', 'Length', 'Release', 'Played at'];
  const lines = rows.map((row) => [
    placeWords(row.at, unit, maps),
    rowName(row) + (row.silent ? ' (silent)' : ''),
    String(row.value),
    row.note ? lengthWords(row.note, unit, maps) : '',
    row.note ? String(row.note.release) : '',
    row.played === null ? '' : placeWords(row.played, unit, maps),
  ]);
  return [title.replaceAll(/[\t\r\n]+/g, ' '), '', ...[head, ...lines].map((f) => f.join('\t')), ''].join('\n');
}
