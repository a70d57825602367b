import type { Note } from '~~/core/performance/notes';
import { levelFor, loudest, type Peaks } from '~~/core/backing/peaks';
import { barStart, meterAt } from '~~/core/time/meter';
import { secondsAt } from '~~/core/time/tempo';
import type { SongMaps } from '~~/core/document/maps';
import { symbolsOf, type PlacedSymbol } from '~~/core/client/writtenPart';
import type { WrittenBar } from '~~/core/document/writtenBar';
import type { Backing } from '~~/core/document/backing';
import type { TickRange } from '~~/core/time/units';
import { type ChartLayout, type ChartRow, barOfTick, placeOf, xInRow } from './chartLayout';
import { drawNoteMark, type NoteMark } from '~/drawing/noteMark';
import { FONTS, TOKENS } from '~/drawing/inks';

type Context = CanvasRenderingContext2D;

/** Top of a row's band of notes, below the bar number and above the wave. */
const BAND_TOP = 15;
const BAND_BOTTOM = 14;
const WAVE = 7;
/** Points a second in the chart's wave. */
const POINTS_A_SECOND = 12;

export interface KeyRange {
  readonly low: number;
  readonly high: number;
}

/** Lowest and highest key of some notes, at least an octave and a half apart. */
export function keyRangeOf(notes: readonly Note[]): KeyRange {
  let low = 127;
  let high = 0;
  for (const { key } of notes) {
    low = Math.min(low, key);
    high = Math.max(high, key);
  }
  if (low > high) return { low: 48, high: 72 };
  const short = Math.max(0, 18 - (high - low));
  return { low: low - Math.floor(short / 2), high: high + Math.ceil(short / 2) };
}

export function drawGrid(c: Context, layout: ChartLayout, maps: SongMaps): void {
  for (const row of layout.rows) {
    const bars = row.lastBar - row.firstBar + 1;
    c.fillStyle = TOKENS.raised;
    c.fillRect(layout.left, row.y, bars * layout.cell, row.height);
    for (let i = 0; i < bars; i += 1) {
      const bar = row.firstBar + i;
      const x = layout.left + i * layout.cell;
      const { beats } = meterAt(maps.meter, barStart(maps.meter, bar));
      c.fillStyle = TOKENS.ruleSoft;
      for (let b = 1; b < beats; b += 1) c.fillRect(Math.round(x + (b * layout.cell) / beats), row.y, 1, row.height);
      c.fillStyle = TOKENS.rule;
      c.fillRect(x + layout.cell, row.y, 1, row.height);
      c.fillStyle = TOKENS.ink2;
      c.font = `11px ${FONTS.figures}`;
      c.textBaseline = 'top';
      c.fillText(String(bar), x + 5, row.y + 3);
    }
    c.strokeStyle = TOKENS.rule;
    c.strokeRect(layout.left + 0.5, row.y + 0.5, bars * layout.cell, row.height);
    c.fillStyle = TOKENS.ink;
    c.fillRect(layout.left - 1, row.y, 2, row.height);
    drawName(c, layout, row);
  }
}

function drawName(c: Context, layout: ChartLayout, row: ChartRow): void {
  if (!row.name) return;
  c.textBaseline = 'alphabetic';
  c.font = `italic 600 15px ${FONTS.names}`;
  c.fillStyle = TOKENS.ink;
  c.fillText(row.name, 14, row.y + row.height / 2, layout.left - 22);
  c.font = `12px ${FONTS.figures}`;
  c.fillStyle = TOKENS.ink2;
  c.fillText(row.barsText, 14, row.y + row.height / 2 + 16);
}

/** Draws the backings' waveform faintly. */
export function drawWaves(
  c: Context,
  layout: ChartLayout,
  maps: SongMaps,
  backings: readonly Backing[],
  waves: ReadonlyMap<string, Peaks>,
): void {
  c.fillStyle = TOKENS.wave;
  // Each backing is scaled to the height of the row, whatever its level.
  const heard = backings
    .filter((b) => !b.muted && !b.midi && waves.has(b.audio))
    .map((b) => {
      const level = levelFor(waves.get(b.audio)!, POINTS_A_SECOND);
      return { offset: b.offset, level, most: Math.max(0.01, loudest(level, 0, b.length)) };
    });
  for (const row of layout.rows) {
    const y = row.y + row.height - WAVE - 2;
    for (let bar = row.firstBar; bar <= row.lastBar; bar += 1) {
      const from = secondsAt(maps.tempo, barStart(maps.meter, bar));
      const to = secondsAt(maps.tempo, barStart(maps.meter, bar + 1));
      const x = layout.left + (bar - row.firstBar) * layout.cell;
      const step = ((to - from) * 3) / layout.cell;
      for (let px = 0; px < layout.cell; px += 3) {
        const second = from + ((to - from) * px) / layout.cell;
        let size = 0;
        for (const b of heard)
          size = Math.max(size, loudest(b.level, second - b.offset, second - b.offset + step) / b.most);
        if (size > 0) c.fillRect(x + px, y - size * WAVE, 2, Math.max(1, size * WAVE * 2));
      }
    }
  }
}

const THICK = 3;

/** Draws notes as bars; one that crosses a row's end continues in the next row. @param notes by start */
export function drawNotes(
  c: Context,
  layout: ChartLayout,
  notes: readonly Note[],
  keys: KeyRange,
  ink: string,
  thick = THICK,
): void {
  c.fillStyle = ink;
  const { rows, starts } = layout;
  let first = 0;
  for (const note of notes) {
    while (first < rows.length - 1 && starts[rows[first]!.lastBar]! <= note.start) first += 1;
    for (let i = first; i < rows.length && starts[rows[i]!.firstBar - 1]! < note.end; i += 1) {
      const row = rows[i]!;
      const from = Math.max(note.start, starts[row.firstBar - 1]!);
      const to = Math.min(note.end, starts[row.lastBar]!);
      // Edges on whole pixels need no smoothing, which is several times faster.
      const x = Math.round(xInRow(layout, row, barOfTick(layout, from), from));
      const end = Math.round(xInRow(layout, row, barOfTick(layout, to - 1), to));
      const share = (keys.high - note.key) / Math.max(1, keys.high - keys.low);
      const y = row.y + BAND_TOP + share * (row.height - BAND_TOP - BAND_BOTTOM - THICK);
      c.fillRect(x, Math.round(y - (thick - THICK) / 2), Math.max(2, end - x - 1), thick);
    }
  }
}

/** Draws a dot over each note that is listed in Your ear. */
export function drawDoubts(c: Context, layout: ChartLayout, notes: readonly Note[], keys: KeyRange): void {
  c.fillStyle = TOKENS.copper;
  for (const note of notes) {
    const row = layout.rows.find(
      (r) => layout.starts[r.firstBar - 1]! <= note.start && layout.starts[r.lastBar]! > note.start,
    );
    if (!row) continue;
    const share = (keys.high - note.key) / Math.max(1, keys.high - keys.low);
    const y = row.y + BAND_TOP + share * (row.height - BAND_TOP - BAND_BOTTOM - THICK) - 3;
    c.beginPath();
    c.arc(xInRow(layout, row, barOfTick(layout, note.start), note.start) + 1, y, 2.5, 0, 2 * Math.PI);
    c.fill();
  }
}

/** Draws a sign for the client's open notes at the end of their first bar. */
export function drawClientNotes(c: Context, layout: ChartLayout, marks: readonly NoteMark[]): void {
  for (const { number, bar, place } of marks) {
    const row = layout.rows.find((r) => r.firstBar <= bar && bar <= r.lastBar);
    if (row) drawNoteMark(c, layout.left + (bar - row.firstBar + 1) * layout.cell - 11 - place, row.y + 10, number);
  }
}

/** Spans of a range, one for each row that it crosses. */
function spansOf(
  layout: ChartLayout,
  range: TickRange,
): { row: ChartRow; from: number; to: number; first: boolean; last: boolean }[] {
  return layout.rows.flatMap((row) => {
    const from = Math.max(range.from, layout.starts[row.firstBar - 1]!);
    const to = Math.min(range.to, layout.starts[row.lastBar]!);
    if (to <= from) return [];
    const x = (tick: number, bar: number) => xInRow(layout, row, bar, tick);
    return [
      {
        row,
        from: x(from, barOfTick(layout, from)),
        to: x(to, barOfTick(layout, to - 1)),
        first: from === range.from,
        last: to === range.to,
      },
    ];
  });
}

const symbolFont = (read: boolean, size: number): string => `${read ? '600' : 'italic'} ${size}px ${FONTS.text}`;
/** Least space between two chord symbols, in pixels. */
const BETWEEN = 4;

/** Draws chord symbols at their beats, closer or smaller where they would overlap. */
function drawSymbols(
  c: Context,
  symbols: readonly PlacedSymbol[],
  places: readonly number[],
  room: { readonly from: number; readonly to: number; readonly y: number },
): void {
  const widthsAt = (size: number): number[] =>
    symbols.map(({ text, read }) => {
      c.font = symbolFont(read, size);
      return c.measureText(text).width + BETWEEN;
    });
  const fits = (widths: readonly number[]): boolean => widths.reduce((sum, w) => sum + w, 0) <= room.to - room.from;
  const size = fits(widthsAt(12)) ? 12 : 10;
  const widths = widthsAt(size);
  const squeeze = Math.min(1, (room.to - room.from) / widths.reduce((sum, w) => sum + w, 0));
  const at = [...places];
  let end = room.to;
  for (let i = at.length - 1; i >= 0; i -= 1) end = at[i] = Math.min(at[i]!, end - widths[i]! * squeeze);
  let free = room.from;
  symbols.forEach(({ text, read }, i) => {
    c.font = symbolFont(read, size);
    c.fillStyle = read ? TOKENS.ink : TOKENS.ink2;
    const own = Math.max(at[i]!, free);
    c.fillText(text, own, room.y, Math.max(4, widths[i]! * squeeze - BETWEEN));
    free = own + widths[i]! * squeeze;
  });
}

/** Draws rehearsal letters, chord symbols and words of the written part. */
export function drawWritten(c: Context, layout: ChartLayout, written: readonly WrittenBar[], maps: SongMaps): void {
  c.textBaseline = 'alphabetic';
  for (const { bar, letter, chords, words } of written) {
    const row = layout.rows.find((r) => r.firstBar <= bar && bar <= r.lastBar);
    if (!row) continue;
    const x = layout.left + (bar - row.firstBar) * layout.cell;
    const { beats } = meterAt(maps.meter, barStart(maps.meter, bar));
    const symbols = symbolsOf(chords, beats);
    c.fillStyle = TOKENS.ink;
    if (letter) {
      c.font = `700 12px ${FONTS.text}`;
      c.fillText(letter, x + 22, row.y - 4);
      c.strokeStyle = TOKENS.ink;
      c.lineWidth = 1;
      c.strokeRect(x + 18.5, row.y - 15.5, c.measureText(letter).width + 7, 14);
    }
    const places = symbols.map(({ beat }) => x + ((beat - 1) * layout.cell) / beats + 2);
    drawSymbols(c, symbols, places, { from: x + NUMBER_WIDTH, to: x + layout.cell - 2, y: row.y + 12 });
    if (words) {
      c.fillStyle = TOKENS.ink2;
      c.font = `italic 11px ${FONTS.names}`;
      c.fillText(words, x + 4, row.y + row.height - 3, layout.cell - 8);
    }
  }
}
/** Width of a bar's number, ahead of its first symbol. */
const NUMBER_WIDTH = 20;

/**
 * Draws each take's number where the line changes to it.
 * @param low true below the notes, where symbols stand above them
 */
export function drawTakeNumbers(c: Context, layout: ChartLayout, ranges: readonly TakeRange[], low: boolean): void {
  c.fillStyle = TOKENS.ink2;
  c.font = `10px ${FONTS.figures}`;
  c.textBaseline = 'top';
  for (const range of ranges) {
    const [first] = spansOf(layout, range).filter((span) => span.first);
    if (!first) continue;
    // At a bar line the number stands behind the bar's own.
    const atBar = layout.starts.includes(range.from);
    const y = low ? first.row.y + first.row.height - 13 : first.row.y + 4;
    c.fillText(`take ${range.number}`, first.from + (atBar && !low ? 30 : 3), y);
  }
}
export interface TakeRange extends TickRange {
  readonly number: number;
}

/** Tints a range of the paper. */
export function drawTint(c: Context, layout: ChartLayout, range: TickRange, fill: string, alpha: number): void {
  c.globalAlpha = alpha;
  c.fillStyle = fill;
  for (const { row, from, to } of spansOf(layout, range)) c.fillRect(from, row.y, to - from, row.height);
  c.globalAlpha = 1;
}

/** Distance of the in-bracket's tail below its row, and size of its handle. */
export const TAIL_BELOW = 5;
const HANDLE = 4;

/**
 * Draws the in-bracket's tail: a line at its foot back to the start of the lead-in, with a handle to drag.
 * @param near true while the pointer is near the handle or drags it
 */
export function drawTail(c: Context, layout: ChartLayout, lead: TickRange, ink: string, near: boolean): void {
  c.fillStyle = ink;
  for (const { row, from, to } of spansOf(layout, lead))
    c.fillRect(from, row.y + row.height + TAIL_BELOW - 1, to - from, 2);
  const place = placeOf(layout, lead.from);
  if (!place) return;
  c.beginPath();
  c.arc(place.x, place.row.y + place.row.height + TAIL_BELOW, near ? HANDLE + 2 : HANDLE, 0, 2 * Math.PI);
  c.fill();
}

/** Draws the brackets of the range to record, as far as punching in and out are on. */
export function drawBrackets(
  c: Context,
  layout: ChartLayout,
  range: TickRange,
  ink: string,
  on: { readonly from: boolean; readonly to: boolean },
): void {
  c.fillStyle = ink;
  for (const { row, from, to, first, last } of spansOf(layout, range)) {
    const top = row.y - 3;
    const height = row.height + 6;
    if (first && on.from) {
      c.fillRect(from - 1, top, 3, height);
      c.fillRect(from - 1, top, 9, 3);
      c.fillRect(from - 1, top + height - 3, 9, 3);
    }
    if (last && on.to) {
      c.fillRect(to - 2, top, 3, height);
      c.fillRect(to - 8, top, 9, 3);
      c.fillRect(to - 8, top + height - 3, 9, 3);
    }
  }
}
