import type { FoundPulse } from '~~/core/backing/analysis';
import { levelFor, loudest, type Peaks } from '~~/core/backing/peaks';
import { beatsBetween, positionAt } from '~~/core/time/meter';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { SongMaps } from '~~/core/document/maps';
import type { Seconds } from '~~/core/time/units';
import { FONTS, TOKENS } from '~/drawing/inks';

type Context = CanvasRenderingContext2D;

/** Layout of a recording in wrapped rows on the song's clock. */
export interface WaveSheet {
  readonly width: number;
  readonly from: Seconds;
  /** Length of a row. */
  readonly row: Seconds;
  readonly rows: number;
}

const WAVE_LEFT = 54;
const RIGHT = 12;
const TOP = 10;
export const WAVE_ROW = 92;
const BAND = 66;

export const sheetHeight = ({ rows }: WaveSheet): number => TOP + rows * WAVE_ROW;
const scale = ({ width, row }: WaveSheet): number => (width - WAVE_LEFT - RIGHT) / row;

/** Point of a moment; undefined outside the rows. */
export function wavePoint(sheet: WaveSheet, at: Seconds): { x: number; y: number } | undefined {
  const index = Math.floor((at - sheet.from) / sheet.row);
  if (index < 0 || index >= sheet.rows) return undefined;
  return { x: WAVE_LEFT + (at - sheet.from - index * sheet.row) * scale(sheet), y: TOP + index * WAVE_ROW };
}

/** Moment at a point. */
export function waveMoment(sheet: WaveSheet, x: number, y: number): Seconds {
  const index = Math.max(0, Math.min(sheet.rows - 1, Math.floor((y - TOP) / WAVE_ROW)));
  return sheet.from + index * sheet.row + (x - WAVE_LEFT) / scale(sheet);
}

export const secondsAPixel = (sheet: WaveSheet): Seconds => 1 / scale(sheet);

const clock = (at: Seconds): string =>
  `${at < 0 ? '−' : ''}${Math.floor(Math.abs(at) / 60)}:${String(Math.floor(Math.abs(at) % 60)).padStart(2, '0')}`;

function eachRow(
  sheet: WaveSheet,
  sight: { top: number; height: number },
  draw: (from: Seconds, y: number) => void,
): void {
  for (let i = 0; i < sheet.rows; i += 1) {
    const y = TOP + i * WAVE_ROW;
    if (y + WAVE_ROW >= sight.top && y <= sight.top + sight.height) draw(sheet.from + i * sheet.row, y);
  }
}

/** Draws the waveform. */
export function drawWave(
  c: Context,
  sheet: WaveSheet,
  peaks: Peaks | undefined,
  offset: Seconds,
  sight: { top: number; height: number },
  ink: string,
): void {
  const right = sheet.width - RIGHT;
  const step = secondsAPixel(sheet);
  const level = peaks && levelFor(peaks, 1 / step);
  const coarsest = peaks?.levels.at(-1);
  const most = coarsest ? Math.max(0.02, loudest(coarsest, 0, coarsest.low.length / coarsest.perSecond)) : 1;
  eachRow(sheet, sight, (from, y) => {
    c.fillStyle = TOKENS.raised;
    c.fillRect(WAVE_LEFT, y, right - WAVE_LEFT, BAND);
    c.fillStyle = TOKENS.ink2;
    c.font = `11px ${FONTS.figures}`;
    c.textBaseline = 'middle';
    c.fillText(clock(from), 8, y + BAND / 2);
    if (!level) return;
    c.fillStyle = ink;
    const middle = y + BAND / 2;
    for (let x = 0; x < right - WAVE_LEFT; x += 1) {
      const at = from + x * step - offset;
      const size = (loudest(level, at, at + step) / most) * (BAND / 2 - 3);
      if (size > 0) c.fillRect(WAVE_LEFT + x, middle - size, 1, size * 2);
    }
  });
}

/** Draws the song's bars over the waveform. */
export function drawBars(c: Context, sheet: WaveSheet, maps: SongMaps, sight: { top: number; height: number }): void {
  eachRow(sheet, sight, (from, y) => {
    const first = Math.max(0, tickAt(maps.tempo, from));
    const last = Math.min(maps.end, tickAt(maps.tempo, from + sheet.row));
    for (const { tick, accent } of beatsBetween(maps.meter, first - 0.5, last)) {
      const at = wavePoint(sheet, secondsAt(maps.tempo, tick) + 1e-9);
      if (!at || at.y !== y) continue;
      c.fillStyle = accent === 'bar' ? TOKENS.ink : TOKENS.rule;
      c.fillRect(Math.round(at.x), y, accent === 'bar' ? 1.5 : 1, BAND);
      if (accent !== 'bar') continue;
      c.fillStyle = TOKENS.ink2;
      c.font = `12px ${FONTS.figures}`;
      c.textBaseline = 'top';
      c.fillText(String(positionAt(maps.meter, tick + 0.5).bar), at.x + 4, y + BAND + 4);
    }
  });
}

/** Draws found beats: a bar's first stands out, a pinned one has a head, and an unsure one is pale. */
export function drawBeats(
  c: Context,
  sheet: WaveSheet,
  found: FoundPulse,
  offset: Seconds,
  grabbed: { readonly index: number; readonly at: Seconds } | null,
  sight: { top: number; height: number },
): void {
  const { first, meter } = found.bars;
  eachRow(sheet, sight, (_, y) => {
    found.beats.forEach((beat, i) => {
      const at = wavePoint(sheet, (grabbed?.index === i ? grabbed.at : beat.at) + offset);
      if (!at || at.y !== y) return;
      const bar = (i - first) % meter.pulses === 0 && i >= first;
      c.globalAlpha = beat.pinned || grabbed?.index === i ? 1 : 0.3 + 0.7 * beat.sure;
      c.fillStyle = TOKENS.copper;
      const top = bar ? y : y + 14;
      c.fillRect(Math.round(at.x) - (bar ? 1 : 0.5), top, bar ? 2.5 : 1.5, y + BAND - top);
      if (beat.pinned) {
        c.beginPath();
        c.arc(at.x, y + 4, 4.5, 0, 2 * Math.PI);
        c.fill();
      }
      c.globalAlpha = 1;
      if (!bar) return;
      c.fillStyle = TOKENS.ink;
      c.font = `12px ${FONTS.figures}`;
      c.textBaseline = 'top';
      c.fillText(String((i - first) / meter.pulses + 1), at.x + 4, y + BAND + 4);
    });
  });
}
