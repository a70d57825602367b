import type { Note } from '~~/core/performance/notes';
import type { TickRange, Ticks } from '~~/core/time/units';
import type { TreatedNote } from '~~/core/timing/treatment';
import type { ShownFigure } from '~~/core/timing/shownFigures';
import { FONTS, TOKENS } from '~/drawing/inks';
import { boxesOn, colourOf, type Boxes, type Colour } from '~/drawing/pixels';
import { keyHeight, keyY, rollX, velocityBand, type Band, type RollFrame } from './rollFrame';
import { clipped, inSight, LOUDEST, sheetOf, type Context } from './rollSheet';

/** Height in pixels from which notes have round corners; lower ones are drawn square. */
const ROUND_FROM = 6;
const SHADES = 8;

/** Draws notes of another take or part as light outlines. */
export function drawPencil(c: Context, frame: RollFrame, notes: readonly Note[]): void {
  const height = Math.max(3, Math.min(13, keyHeight(frame) + 1));
  c.fillStyle = TOKENS.pencilSoft;
  clipped(c, frame, () => {
    for (const { key, start, end } of notes) {
      if (!inSight(frame, start, end) || key < frame.keys.low || key > frame.keys.high) continue;
      const x = rollX(frame, start);
      c.fillRect(x, keyY(frame, key) + (keyHeight(frame) - height) / 2, Math.max(2, rollX(frame, end) - x - 1), height);
    }
  });
}

/** Change of notes that are being dragged. */
export interface Dragged {
  readonly ids: ReadonlySet<string>;
  readonly by: Ticks;
  readonly keys: number;
  readonly startBy: Ticks;
  readonly endBy: Ticks;
}

/** Height on whole pixels, which draws several times faster and sharper. */
const noteHeight = (frame: RollFrame): number => Math.round(Math.max(2, Math.min(12, keyHeight(frame) - 1)));

/** Narrowest outline in pixels that is drawn. */
const NARROWEST = 3;
/** Number of notes in view above which all are drawn square: rounding them takes longer than a frame. */
const MOST_ROUND = 600;

/**
 * Draws notes, the darker the louder, over hollow outlines where they were played. They are drawn on their sheet first.
 */
export function drawRollNotes(
  c: Context,
  frame: RollFrame,
  notes: readonly TreatedNote[],
  ink: string,
  without: ReadonlySet<string> | null,
): void {
  const height = noteHeight(frame);
  const inset = (keyHeight(frame) - height) / 2;
  const band = velocityBand(frame);
  // Boxes by shade (left, top, width), so that the fill colour changes eight times and not with each note.
  const shades: number[][] = Array.from({ length: SHADES }, () => []);
  const outlines: number[] = [];
  const drawn = pixels(frame);
  // The loudest note on a pixel column is shown.
  const velocities = new Float32Array(Math.ceil(frame.width) + 1);
  for (const note of notes) {
    const { played } = note;
    if (!inSight(frame, Math.min(note.start, played.start), Math.max(note.end, played.end))) continue;
    if (without?.has(note.id)) continue;
    const x = Math.round(rollX(frame, note.start));
    if (note.start >= frame.view.from) velocities[Math.round(x)] = Math.max(velocities[Math.round(x)]!, note.velocity);
    if (note.key < frame.keys.low || note.key > frame.keys.high) continue;
    const wide = Math.max(2, Math.round(rollX(frame, note.end)) - x - 1);
    if (wide <= NARROWEST && drawn.seen(x, note.key)) continue;
    const shade = shades[Math.min(SHADES - 1, Math.floor((note.velocity / 128) * SHADES))]!;
    shade.push(x, Math.round(keyY(frame, note.key) + inset), wide);
    const moved = played.start !== note.start || played.end !== note.end || played.key !== note.key;
    if (!moved || note.made) continue;
    const px = Math.round(rollX(frame, played.start));
    const room = Math.round(rollX(frame, played.end)) - px - 2;
    if (room >= NARROWEST) outlines.push(px, Math.round(keyY(frame, played.key) + inset) - 1, room);
  }
  const many = shades.reduce((sum, s) => sum + s.length, 0) / 3;
  const pencil = colourOf(TOKENS.ink3);
  const inks = shades.map((_, k) => colourOf(ink, 0.45 + (0.55 * (k + 0.5)) / SHADES));
  const boxes = boxesOn(c, sheetOf(frame), many > MOST_ROUND);
  for (let i = 0; i < outlines.length; i += 3)
    hollow(boxes, pencil, outlines[i]!, outlines[i + 1]!, outlines[i + 2]!, height + 2);
  const round = height >= ROUND_FROM && many <= MOST_ROUND;
  shades.forEach((shade, k) => {
    if (round) return fillRound(c, inks[k]!, shade, height);
    for (let i = 0; i < shade.length; i += 3) boxes.fill(inks[k]!, shade[i]!, shade[i + 1]!, shade[i + 2]!, height);
  });
  drawVelocities(boxes, colourOf(ink), band, velocities);
  boxes.done();
}

/** Draws a bar for each pixel column with an onset. */
function drawVelocities(boxes: Boxes, colour: Colour, { top, height }: Band, velocities: Float32Array): void {
  velocities.forEach((velocity, x) => {
    if (velocity === 0) return;
    const tall = Math.round((velocity / LOUDEST) * (height - 6));
    boxes.fill(colour, x - 1, Math.round(top + height) - tall, 2, tall);
  });
}

/** Record of pixels drawn already, as notes a pixel wide often coincide. */
function pixels({ width }: RollFrame): { readonly seen: (x: number, key: number) => boolean } {
  const columns = Math.ceil(width) + 1;
  const marks = new Uint8Array(columns * 128);
  return {
    seen(x, key) {
      const at = Math.max(0, Math.min(columns - 1, Math.round(x))) + columns * key;
      if (marks[at]) return true;
      marks[at] = 1;
      return false;
    },
  };
}

function fillRound(c: Context, { css }: Colour, boxes: readonly number[], height: number): void {
  c.fillStyle = css;
  c.beginPath();
  for (let i = 0; i < boxes.length; i += 3) c.roundRect(boxes[i]!, boxes[i + 1]!, boxes[i + 2]!, height, 3);
  c.fill();
}

/** Adds a box's outline as four fills, which are faster than a stroke. */
function hollow(boxes: Boxes, colour: Colour, x: number, y: number, width: number, height: number, line = 1): void {
  boxes.fill(colour, x, y, width, line);
  boxes.fill(colour, x, y + height - line, width, line);
  boxes.fill(colour, x, y, line, height);
  boxes.fill(colour, x + width - line, y, line, height);
}

/** Marks ends that were set by hand; an added note is marked in its middle. */
export function drawHandMarks(c: Context, frame: RollFrame, notes: readonly TreatedNote[]): void {
  const height = noteHeight(frame);
  if (height < 4) return;
  clipped(c, frame, () => {
    c.fillStyle = TOKENS.copper;
    for (const note of notes) {
      if (!note.fixed && !note.made) continue;
      if (!inSight(frame, note.start, note.end) || note.key < frame.keys.low || note.key > frame.keys.high) continue;
      const y = keyY(frame, note.key) + (keyHeight(frame) - height) / 2;
      const [x, to] = [rollX(frame, note.start), rollX(frame, note.end)];
      if (note.fixed === 'start' || note.fixed === 'both') c.fillRect(x, y, 2, height);
      if (note.fixed === 'end' || note.fixed === 'both') c.fillRect(Math.max(x + 2, to - 3), y, 2, height);
      if (note.made && to - x > 14) c.fillRect((x + to) / 2 - 2, y + height / 2 - 1, 4, 2);
    }
  });
}

/** Draws silenced notes as outlines with a stroke through. */
export function drawSilent(c: Context, frame: RollFrame, notes: readonly TreatedNote[]): void {
  const height = noteHeight(frame);
  clipped(c, frame, () => {
    c.strokeStyle = TOKENS.ink2;
    c.lineWidth = 1;
    c.beginPath();
    for (const { start, end, key } of notes) {
      if (!inSight(frame, start, end) || key < frame.keys.low || key > frame.keys.high) continue;
      const x = rollX(frame, start);
      const y = keyY(frame, key) + (keyHeight(frame) - height) / 2;
      const width = Math.max(3, rollX(frame, end) - x - 1);
      c.rect(x + 0.5, y + 0.5, width, height - 1);
      c.moveTo(x, y + height);
      c.lineTo(x + Math.min(width, height), y);
    }
    c.stroke();
  });
}

/** Draws a dot over each note that is listed in Your ear. */
export function drawDoubts(
  c: Context,
  frame: RollFrame,
  notes: readonly TreatedNote[],
  ids: ReadonlySet<string>,
): void {
  if (ids.size === 0) return;
  const height = noteHeight(frame);
  clipped(c, frame, () => {
    c.fillStyle = TOKENS.copper;
    for (const note of notes) {
      if (!ids.has(note.id) || !inSight(frame, note.start, note.end)) continue;
      const x = rollX(frame, note.start) + 3;
      const y = keyY(frame, note.key) + (keyHeight(frame) - height) / 2 - 5;
      c.beginPath();
      c.arc(x, y, 4, 0, 2 * Math.PI);
      c.fill();
    }
  });
}

/** Distance of a figure's bracket above its highest note, and the height of its ends, in pixels. */
const BRACKET = 4;
const BRACKET_END = 3;

/** Draws the names of figures, each over a bracket from its first note to its last. */
export function drawFigures(
  c: Context,
  frame: RollFrame,
  figures: readonly ShownFigure[],
  notes: readonly TreatedNote[],
): void {
  if (figures.length === 0) return;
  const heard = new Map(notes.map((n) => [n.id, n]));
  clipped(c, frame, () => {
    c.fillStyle = TOKENS.ink2;
    c.font = `11px ${FONTS.text}`;
    c.textBaseline = 'alphabetic';
    let free = -Infinity;
    for (const { kind, notes: own } of figures) {
      const all = own.flatMap((n) => heard.get(n.id) ?? []);
      if (all.length < 2) continue;
      const [from, to] = [Math.min(...all.map((n) => n.start)), Math.max(...all.map((n) => n.start))];
      if (!inSight(frame, from, to + 1)) continue;
      const x = Math.round(rollX(frame, from));
      const width = Math.max(6, Math.round(rollX(frame, to)) - x + 4);
      const y = Math.round(keyY(frame, Math.max(...all.map((n) => n.key)))) - BRACKET;
      c.fillRect(x, y, width, 1);
      c.fillRect(x, y, 1, BRACKET_END);
      c.fillRect(x + width - 1, y, 1, BRACKET_END);
      // A name that would overlap another is left out; the bracket stays.
      if (x < free) continue;
      c.fillText(kind, x, y - 3);
      free = x + c.measureText(kind).width + 4;
    }
  });
}

/** Notes that are picked out, and how. */
interface Chosen {
  readonly cursor: string | null;
  readonly marked: ReadonlySet<string>;
  readonly chosen: ReadonlySet<string>;
  readonly dragged: Dragged | null;
  readonly ink: string;
}

/** Place of a note, moved where it is being dragged. */
function placeOf(note: TreatedNote, dragged: Dragged | null): TickRange & { readonly key: number } {
  if (!dragged) return { from: note.start, to: Math.max(note.start + 10, note.end), key: note.key };
  const from = note.start + dragged.by + dragged.startBy;
  return { from, to: Math.max(from + 10, note.end + dragged.by + dragged.endBy), key: note.key + dragged.keys };
}

/** Left, top, width and height in pixels. */
type Box = readonly [number, number, number, number];

/** Box of a note at a place; null out of sight. */
function boxOf(frame: RollFrame, { from, to, key }: ReturnType<typeof placeOf>, height: number): Box | null {
  if (!inSight(frame, from, to) || key < frame.keys.low || key > frame.keys.high) return null;
  const x = Math.round(rollX(frame, from));
  const y = Math.round(keyY(frame, key) + (keyHeight(frame) - height) / 2);
  return [x, y, Math.max(3, Math.round(rollX(frame, to)) - x - 1), height];
}

/** Draws the selection, the cursor, marked notes and dragged notes. They are drawn on the upper sheet first. */
export function drawChosen(c: Context, frame: RollFrame, notes: readonly TreatedNote[], how: Chosen): void {
  const many = how.chosen.size + how.marked.size + (how.dragged?.ids.size ?? 0);
  if (many === 0 && how.cursor === null) return;
  const height = noteHeight(frame);
  const velocities = new Float32Array(Math.ceil(frame.width) + 1);
  const drawn = pixels(frame);
  const boxes = boxesOn(c, sheetOf(frame), many > MOST_ROUND);
  const [inked, copper, dragInk] = [colourOf(TOKENS.ink), colourOf(TOKENS.copper), colourOf(how.ink)];
  for (const note of notes) {
    const isCursor = note.id === how.cursor;
    const chosen = how.chosen.has(note.id);
    const dragged = how.dragged?.ids.has(note.id) ? how.dragged : null;
    if (!chosen && !dragged && !isCursor && !how.marked.has(note.id)) continue;
    const place = placeOf(note, dragged);
    const box = boxOf(frame, place, height);
    if (!box || (box[2] <= NARROWEST && !isCursor && drawn.seen(box[0], place.key))) continue;
    if (isCursor) hollow(boxes, copper, box[0] - 4, box[1] - 4, box[2] + 8, box[3] + 8, 2);
    drawBox(boxes, chosen || dragged ? inked : copper, dragged ? dragInk : null, box);
    if (chosen && place.from >= frame.view.from) velocities[box[0]] = Math.max(velocities[box[0]]!, note.velocity);
  }
  drawVelocities(boxes, copper, velocityBand(frame), velocities);
  boxes.done();
}

/** Draws a note that is picked out: its frame, filled where it is dragged; a narrow one whole. */
function drawBox(
  boxes: ReturnType<typeof boxesOn>,
  outer: Colour,
  inner: Colour | null,
  [x, y, width, height]: Box,
): void {
  if (width <= NARROWEST) boxes.fill(outer, x - 1, y - 1, width + 2, height + 2);
  else if (inner) {
    boxes.fill(outer, x - 2, y - 2, width + 4, height + 4);
    boxes.fill(inner, x, y, width, height);
  } else hollow(boxes, outer, x - 2, y - 2, width + 4, height + 4, 2);
}

/** Draws the frame of a selection, or a line over the velocity band. */
export function drawRubber(
  c: Context,
  [x, y, to, down]: readonly [number, number, number, number],
  line: boolean,
): void {
  c.strokeStyle = TOKENS.copper;
  c.lineWidth = 1;
  if (line) {
    c.beginPath();
    c.moveTo(x, y);
    c.lineTo(to, down);
    c.stroke();
    return;
  }
  c.fillStyle = colourOf(TOKENS.copper, 0.08).css;
  c.fillRect(Math.min(x, to), Math.min(y, down), Math.abs(to - x), Math.abs(down - y));
  c.strokeRect(Math.min(x, to) + 0.5, Math.min(y, down) + 0.5, Math.abs(to - x), Math.abs(down - y));
}

/** Velocity at a height of the velocity band, 1 to 127. */
export function velocityAtY(frame: RollFrame, y: number): number {
  const { top, height } = velocityBand(frame);
  const share = 1 - Math.min(1, Math.max(0, (y - top - 6) / (height - 6)));
  return Math.max(1, Math.round(share * LOUDEST));
}
