import type { SongMaps } from '~~/core/document/maps';
import { keyName } from '~~/core/performance/messages';
import type { Note } from '~~/core/performance/notes';
import type { Difference } from '~~/core/picking/takeDifferences';
import type { JoinState } from '~~/core/picking/joins';
import { firstFrom } from '~~/core/takes/join';
import { barAt, barStart, beatsBetween } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import type { KeyRange } from '~/chart/chartDrawing';
import { FONTS, TOKENS } from '~/drawing/inks';
import { BESIDE_NUMBER, drawNoteMark, type NoteMark } from '~/drawing/noteMark';

type Context = CanvasRenderingContext2D;

/** Left edge of the bars, after the names of the lanes. */
const LEFT = 132;
const RIGHT = 10;
/** Height of the ruler with the bar numbers. */
export const RULER = 26;
export const LINE_HEIGHT = 92;
export const LANE_HEIGHT = 78;
const GAP = 10;
/** Space between the line and the first take. */
const UNDER_LINE = 16;
const BEATS_FROM = 34;
/** Longest note that is looked for before the sheet's left edge. */
const LONGEST: Ticks = 4 * 3840;

export interface LanesFrame {
  readonly width: number;
  readonly view: TickRange;
  readonly keys: KeyRange;
}

/** Y of a lane; 0 is the first take. */
export const laneY = (lane: number): number => RULER + LINE_HEIGHT + UNDER_LINE + lane * (LANE_HEIGHT + GAP);
export const sheetHeight = (lanes: number): number => laneY(lanes) + 4;

export const laneX = ({ width, view }: LanesFrame, tick: Ticks): number =>
  LEFT + ((tick - view.from) / (view.to - view.from)) * (width - LEFT - RIGHT);
export const tickOfX = ({ width, view }: LanesFrame, x: number): Ticks =>
  view.from + ((x - LEFT) / (width - LEFT - RIGHT)) * (view.to - view.from);
/** Lane at a height: -1 for the line, undefined between lanes. */
export function laneAtY(y: number, lanes: number): number | undefined {
  if (y >= RULER && y < RULER + LINE_HEIGHT) return -1;
  const lane = Math.floor((y - laneY(0)) / (LANE_HEIGHT + GAP));
  const inside = lane >= 0 && lane < lanes && y < laneY(lane) + LANE_HEIGHT;
  return inside ? lane : undefined;
}

function drawBars(c: Context, frame: LanesFrame, maps: SongMaps, y: number, height: number, strong: boolean): void {
  const beats = beatsBetween(maps.meter, frame.view.from, frame.view.to);
  const bars = beats.filter((b) => b.accent === 'bar').length;
  const shown =
    (frame.width - LEFT) / Math.max(1, bars) >= BEATS_FROM ? beats : beats.filter((b) => b.accent === 'bar');
  const barLine = strong ? TOKENS.ink2 : TOKENS.rule;
  for (const { tick, accent } of shown) {
    c.fillStyle = accent === 'bar' ? barLine : TOKENS.ruleSoft;
    c.fillRect(Math.round(laneX(frame, tick)), y, 1, height);
  }
  c.strokeStyle = strong ? TOKENS.ink : TOKENS.rule;
  c.lineWidth = 1;
  c.strokeRect(LEFT + 0.5, y + 0.5, frame.width - LEFT - RIGHT, height - 1);
}

/** Draws as many bar numbers as have room. */
export function drawRuler(c: Context, frame: LanesFrame, maps: SongMaps, marks: readonly NoteMark[]): void {
  const bars = beatsBetween(maps.meter, frame.view.from, frame.view.to).filter((b) => b.accent === 'bar');
  const room = (frame.width - LEFT) / Math.max(1, bars.length);
  const every = room >= 26 ? 1 : Math.ceil(26 / room / 4) * 4;
  c.fillStyle = TOKENS.ink2;
  c.font = `12px ${FONTS.figures}`;
  c.textBaseline = 'alphabetic';
  for (const { tick } of bars) {
    const bar = barAt(maps.meter, tick);
    if (every === 1 || bar % every === 1) c.fillText(String(bar), laneX(frame, tick) + 4, RULER - 8);
  }
  for (const { number, bar, place } of marks) {
    const tick = barStart(maps.meter, bar);
    if (tick < frame.view.from || tick >= frame.view.to) continue;
    drawNoteMark(c, laneX(frame, tick) + BESIDE_NUMBER + place, RULER - 12, number);
  }
}

/** Draws a reading's notes in a lane: dark where they are picked, light elsewhere. */
function drawNotes(
  c: Context,
  frame: LanesFrame,
  notes: readonly Note[],
  y: number,
  height: number,
  /** Tick up to which a note is picked and drawn dark. */
  inkedTo: (note: Note) => Ticks,
  ink: string,
): void {
  const { low, high } = frame.keys;
  const row = (height - 12) / (high - low + 1);
  const thick = Math.max(2, Math.min(4, row));
  c.save();
  c.beginPath();
  c.rect(LEFT, y, frame.width - LEFT - RIGHT, height);
  c.clip();
  const shown: { readonly note: Note; readonly until: Ticks }[] = [];
  for (let i = firstFrom(notes, frame.view.from - LONGEST); i < notes.length; i += 1) {
    const note = notes[i]!;
    if (note.start >= frame.view.to) break;
    if (note.end > frame.view.from) shown.push({ note, until: Math.min(note.end, inkedTo(note)) });
  }
  const draw = (note: Note, from: Ticks, to: Ticks, weight: number): void => {
    const x = laneX(frame, from);
    c.fillRect(x, y + 6 + (high - note.key) * row, Math.max(2, laneX(frame, to) - x - 1), weight);
  };
  // One colour after the other, as a change of colour takes longer than a note.
  c.fillStyle = TOKENS.pencil;
  for (const { note, until } of shown)
    if (until < note.end) draw(note, Math.max(note.start, until), note.end, Math.max(1.5, thick - 1));
  c.fillStyle = ink;
  for (const { note, until } of shown) if (until > note.start) draw(note, note.start, until, thick);
  c.restore();
}

/** Draws the part's line with its joins, and the number of the take in each range. */
export function drawLine(
  c: Context,
  frame: LanesFrame,
  maps: SongMaps,
  line: readonly Note[],
  ink: string,
  ranges: readonly (TickRange & { readonly number: string })[],
  joins: readonly JoinState[],
  active: Ticks | null,
): void {
  c.fillStyle = TOKENS.raised;
  c.fillRect(LEFT, RULER, frame.width - LEFT - RIGHT, LINE_HEIGHT);
  drawBars(c, frame, maps, RULER, LINE_HEIGHT, true);
  drawNotes(c, frame, line, RULER, LINE_HEIGHT - 16, () => Infinity, ink);
  c.font = `11px ${FONTS.figures}`;
  c.textBaseline = 'alphabetic';
  c.fillStyle = TOKENS.ink2;
  for (const { from, to, number } of ranges) {
    const [x, end] = [laneX(frame, from), laneX(frame, to)];
    if (end - x > 22) c.fillText(number, x + 6, RULER + LINE_HEIGHT - 6);
  }
  for (const { at, state } of joins) {
    const x = Math.round(laneX(frame, at));
    c.fillStyle = state === 'open' ? TOKENS.copper : TOKENS.moss;
    c.fillRect(x - 1, RULER - 2, at === active ? 4 : 2, LINE_HEIGHT + 2);
    c.beginPath();
    if (state === 'open') {
      c.moveTo(x, RULER + 4);
      c.lineTo(x - 6, RULER - 6);
      c.lineTo(x + 6, RULER - 6);
    } else c.arc(x, RULER - 3, 4, 0, 2 * Math.PI);
    c.fill();
  }
}

export interface DrawnLane {
  readonly notes: readonly Note[];
  readonly range: TickRange;
  /** Ranges in which it is picked. */
  readonly picked: readonly TickRange[];
  /** Number of slips, by bar. */
  readonly slips: ReadonlyMap<number, number>;
  /** Bars that it plays another way, as other takes do. */
  readonly varied: ReadonlySet<number>;
}

/** Draws one take, with its bars aligned to the line. */
export function drawLane(
  c: Context,
  frame: LanesFrame,
  maps: SongMaps,
  { notes, range, picked, slips, varied }: DrawnLane,
  ink: string,
  y: number,
): void {
  const clip = (r: TickRange) => ({ from: Math.max(r.from, frame.view.from), to: Math.min(r.to, frame.view.to) });
  const covered = clip(range);
  const [x, end] = [laneX(frame, covered.from), laneX(frame, covered.to)];
  c.fillStyle = TOKENS.sheet;
  c.fillRect(x, y, end - x, LANE_HEIGHT);
  c.globalAlpha = 0.14;
  c.fillStyle = ink;
  for (const p of picked.map(clip)) {
    if (p.to > p.from) c.fillRect(laneX(frame, p.from), y, laneX(frame, p.to) - laneX(frame, p.from), LANE_HEIGHT);
  }
  c.globalAlpha = 1;
  drawBars(c, frame, maps, y, LANE_HEIGHT, false);
  const inkedTo = (note: Note) => picked.find((p) => note.start >= p.from - 60 && note.start < p.to)?.to ?? -Infinity;
  drawNotes(c, frame, notes, y, LANE_HEIGHT, inkedTo, ink);
  // Bars that the take does not cover have no paper.
  c.fillStyle = TOKENS.paper;
  c.globalAlpha = 0.75;
  if (x > LEFT) c.fillRect(LEFT + 1, y + 1, x - LEFT - 1, LANE_HEIGHT - 2);
  if (end < frame.width - RIGHT) c.fillRect(end, y + 1, frame.width - RIGHT - end - 1, LANE_HEIGHT - 2);
  c.globalAlpha = 1;
  const bars = beatsBetween(maps.meter, frame.view.from, frame.view.to).filter((b) => b.accent === 'bar');
  const room = (frame.width - LEFT) / Math.max(1, bars.length);
  c.font = `600 11px ${FONTS.text}`;
  c.textBaseline = 'middle';
  c.textAlign = 'center';
  bars.forEach(({ tick }, i) => {
    const bar = barAt(maps.meter, tick);
    const right = laneX(frame, bars[i + 1]?.tick ?? frame.view.to);
    const count = slips.get(bar);
    if (count) {
      c.fillStyle = TOKENS.copper;
      if (room < 24) {
        c.fillRect(laneX(frame, tick), y + LANE_HEIGHT - 4, Math.max(1, room - 1), 3);
        return;
      }
      c.beginPath();
      c.arc(right - 11, y + 11, 7.5, 0, 2 * Math.PI);
      c.fill();
      c.fillStyle = TOKENS.sheet;
      c.fillText(String(count), right - 11, y + 11.5);
    } else if (varied.has(bar) && room >= 24) {
      c.fillStyle = TOKENS.ink2;
      c.fillText('≈', right - 11, y + 10);
    }
  });
  c.textAlign = 'start';
}

/** Draws the selection. */
export function drawChosen(c: Context, frame: LanesFrame, range: TickRange, y: number): void {
  const [from, to] = [Math.max(range.from, frame.view.from), Math.min(range.to, frame.view.to)];
  if (to <= from) return;
  const x = laneX(frame, from);
  c.strokeStyle = TOKENS.ink;
  c.lineWidth = 2.5;
  c.strokeRect(x + 1, y + 1, laneX(frame, to) - x - 2, LANE_HEIGHT - 2);
}

interface Against {
  readonly mine: readonly Note[];
  readonly other: readonly Note[];
  readonly ink: string;
  readonly differences: readonly Difference[];
  readonly shown: Difference | null;
}

/** Draws one take filled and another as outlines, with the differences in copper. */
export function drawAgainst(
  c: Context,
  frame: LanesFrame,
  maps: SongMaps,
  height: number,
  { mine, other, ink, differences, shown }: Against,
): void {
  const y = RULER;
  const tall = height - RULER - 8;
  drawRuler(c, frame, maps, []);
  drawBars(c, frame, maps, y, tall, false);
  const { low, high } = frame.keys;
  const row = (tall - 12) / (high - low + 1);
  const thick = Math.max(3, Math.min(9, row - 1));
  const told = new Set(differences.flatMap((d) => [d.note, d.other]));
  const boxOf = (note: Note) => {
    const x = laneX(frame, note.start);
    return [x, y + 6 + (high - note.key) * row, Math.max(3, laneX(frame, note.end) - x - 1), thick] as const;
  };
  const inView = (note: Note) => note.start < frame.view.to && note.end > frame.view.from;
  c.fillStyle = TOKENS.ink2;
  c.font = `11px ${FONTS.figures}`;
  c.textBaseline = 'middle';
  for (let key = low; key <= high; key += 1)
    if (key % 12 === 0) c.fillText(keyName(key), LEFT - 34, y + 6 + (high - key) * row + thick / 2);
  c.save();
  c.beginPath();
  c.rect(LEFT, y, frame.width - LEFT - RIGHT, tall);
  c.clip();
  for (const note of mine.filter(inView)) {
    c.fillStyle = told.has(note) ? TOKENS.copper : ink;
    c.fillRect(...boxOf(note));
  }
  c.lineWidth = 1;
  for (const note of other.filter(inView)) {
    const [x, top, width, depth] = boxOf(note);
    c.strokeStyle = told.has(note) ? TOKENS.copper : TOKENS.ink2;
    c.strokeRect(x + 0.5, top - 1.5, width - 1, depth + 3);
  }
  if (shown) {
    c.strokeStyle = TOKENS.ink;
    c.lineWidth = 2;
    const note = (shown.note ?? shown.other)!;
    const [x, top, width, depth] = boxOf(note);
    c.strokeRect(x - 5, top - 6, width + 10, depth + 12);
  }
  c.restore();
}
