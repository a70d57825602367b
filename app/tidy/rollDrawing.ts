import { beatsBetween, barAt } from '~~/core/time/meter';
import type { Note } from '~~/core/performance/notes';
import { keyName, SUSTAIN } from '~~/core/performance/messages';
import type { SongMaps } from '~~/core/document/maps';
import { gridStep, type Grid } from '~~/core/timing/grid';
import type { TreatedNote, TreatedReading } from '~~/core/timing/treatment';
import type { TickRange } from '~~/core/time/units';
import type { KeyRange } from '~/chart/chartDrawing';
import { FONTS, TOKENS } from '~/drawing/inks';

type Context = CanvasRenderingContext2D;

const LEFT = 52;
const TOP = 30;
const TOUCH = 54;
const PEDAL = 26;
const BLACK = new Set([1, 3, 6, 8, 10]);
const LOUDEST = 127;

/** Where things lie on the roll. */
export interface RollFrame {
  readonly width: number;
  readonly height: number;
  readonly view: TickRange;
  readonly keys: KeyRange;
}

const noteBottom = ({ height }: RollFrame): number => height - TOUCH - PEDAL - 14;
export const rollX = ({ width, view }: RollFrame, tick: number): number =>
  LEFT + ((tick - view.from) / (view.to - view.from)) * (width - LEFT - 8);
const lane = (frame: RollFrame): number => (noteBottom(frame) - TOP) / (frame.keys.high - frame.keys.low + 1);
const keyY = (frame: RollFrame, key: number): number => TOP + (frame.keys.high - key) * lane(frame);

export function drawRollGrid(c: Context, frame: RollFrame, maps: SongMaps, grid: Grid | null): void {
  const right = frame.width - 8;
  const bottom = noteBottom(frame);
  for (let key = frame.keys.low; key <= frame.keys.high; key += 1) {
    if (BLACK.has(key % 12)) {
      c.fillStyle = '#F7F2E6';
      c.fillRect(LEFT, keyY(frame, key), right - LEFT, lane(frame));
    }
    if (key % 12 !== 0) continue;
    c.fillStyle = TOKENS.ruleSoft;
    c.fillRect(LEFT, keyY(frame, key) + lane(frame) - 1, right - LEFT, 1);
    c.fillStyle = TOKENS.ink2;
    c.font = `11px ${FONTS.figures}`;
    c.textBaseline = 'middle';
    c.fillText(keyName(key), 22, keyY(frame, key) + lane(frame) / 2);
  }
  const beats = beatsBetween(maps.meter, frame.view.from, frame.view.to);
  if (grid) {
    c.fillStyle = TOKENS.ruleSoft;
    const step = gridStep(grid);
    for (const bar of beats.filter((b) => b.accent === 'bar')) {
      const next = beats.find((b) => b.accent === 'bar' && b.tick > bar.tick)?.tick ?? frame.view.to;
      for (let tick = bar.tick; tick < next; tick += step)
        c.fillRect(Math.round(rollX(frame, tick)), TOP, 1, bottom - TOP);
    }
  }
  for (const { tick, accent } of beats) {
    const x = Math.round(rollX(frame, tick));
    c.fillStyle = accent === 'bar' ? TOKENS.ink : TOKENS.rule;
    c.fillRect(x, TOP, accent === 'bar' ? 1.5 : 1, bottom - TOP);
    if (accent !== 'bar') continue;
    c.fillStyle = TOKENS.ink2;
    c.font = `13px ${FONTS.figures}`;
    c.textBaseline = 'alphabetic';
    c.fillText(String(barAt(maps.meter, tick)), x + 5, TOP - 10);
  }
  c.font = `12px ${FONTS.text}`;
  c.fillStyle = TOKENS.ink2;
  c.textBaseline = 'middle';
  c.fillText('Touch', 10, bottom + TOUCH / 2 + 8);
  c.fillText('Pedal', 10, bottom + TOUCH + 8 + PEDAL / 2);
  c.fillStyle = TOKENS.rule;
  c.fillRect(LEFT, bottom + TOUCH + 6, right - LEFT, 1);
}

function bar(c: Context, x: number, y: number, width: number, height: number): void {
  c.beginPath();
  c.roundRect(x, y, Math.max(3, width), height, Math.min(3, height / 2));
}

/** Another take's notes, in pencil. */
export function drawPencil(c: Context, frame: RollFrame, notes: readonly Note[]): void {
  const height = Math.max(5, Math.min(13, lane(frame) + 1));
  c.fillStyle = '#C9C6BA';
  for (const { key, start, end } of notes) {
    if (start > frame.view.to || end < frame.view.from) continue;
    const [x, until] = [Math.max(start, frame.view.from), Math.min(end, frame.view.to)].map((t) => rollX(frame, t));
    bar(c, x!, keyY(frame, key) + (lane(frame) - height) / 2, until! - x! - 1, height);
    c.fill();
  }
}

/** Treated notes inked by touch; as played is the hollow outline under them. */
export function drawRollNotes(
  c: Context,
  frame: RollFrame,
  notes: readonly TreatedNote[],
  ink: string,
  asPlayed: boolean,
): void {
  const height = Math.max(4, Math.min(11, lane(frame) - 1));
  const bottom = noteBottom(frame);
  c.save();
  c.beginPath();
  c.rect(LEFT - 6, 0, frame.width - LEFT, frame.height);
  c.clip();
  for (const note of notes) {
    const solid = asPlayed ? note.played : note;
    if (
      Math.min(note.start, note.played.start) > frame.view.to ||
      Math.max(note.end, note.played.end) < frame.view.from
    )
      continue;
    const y = keyY(frame, note.key) + (lane(frame) - height) / 2;
    const x = rollX(frame, solid.start);
    c.globalAlpha = 0.5 + (0.5 * note.velocity) / LOUDEST;
    c.fillStyle = ink;
    bar(c, x, y, rollX(frame, solid.end) - x - 1, height);
    c.fill();
    c.globalAlpha = 1;
    if (note.played.start !== note.start || note.played.end !== note.end) {
      const px = rollX(frame, note.played.start);
      c.strokeStyle = TOKENS.ink2;
      c.lineWidth = 1;
      bar(c, px + 0.5, y - 1.5, rollX(frame, note.played.end) - px - 2, height + 3);
      c.stroke();
    }
    if (solid.start < frame.view.from) continue;
    const tall = (note.velocity / LOUDEST) * (TOUCH - 6);
    c.fillStyle = ink;
    c.fillRect(x - 1, bottom + TOUCH + 6 - tall, 3, tall);
  }
  c.restore();
}

/** The sustain pedal as bars. */
export function drawPedal(c: Context, frame: RollFrame, { controls }: TreatedReading): void {
  const y = noteBottom(frame) + TOUCH + 12;
  c.fillStyle = '#DCC99B';
  let down: number | null = null;
  const until = (tick: number) => {
    if (down === null) return;
    const from = Math.max(down, frame.view.from);
    const to = Math.min(tick, frame.view.to);
    if (to > from) {
      bar(c, rollX(frame, from), y, rollX(frame, to) - rollX(frame, from) - 2, PEDAL - 14);
      c.fill();
    }
    down = null;
  };
  for (const { at, message } of controls) {
    if (message.type !== 'control' || message.controller !== SUSTAIN) continue;
    if (message.value >= 64) down ??= at;
    else until(at);
  }
  until(frame.view.to);
}
