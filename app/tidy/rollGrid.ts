import type { SongMaps } from '~~/core/document/maps';
import { PEDAL } from '~~/core/editing/lanes';
import type { Lane } from '~~/core/performance/controls';
import { keyName } from '~~/core/performance/messages';
import { laneWords } from '~~/core/recording/brief';
import { barAt, barStart, beatsBetween } from '~~/core/time/meter';
import { gridStep, type Grid } from '~~/core/timing/grid';
import { BESIDE_NUMBER, drawNoteMark, type NoteMark } from '~/drawing/noteMark';
import { FONTS, TOKENS } from '~/drawing/inks';
import { LEFT, TOP, keyHeight, keyY, laneBand, noteBottom, rollX, velocityBand, type RollFrame } from './rollFrame';
import { right, type Context } from './rollSheet';

const BLACK = new Set([1, 3, 6, 8, 10]);
/** Least distance in pixels between lines that are drawn. */
const NEAREST_LINES = 9;

/** Draws bars, beats, grid lines and the names of the lanes. */
export function drawRollGrid(
  c: Context,
  frame: RollFrame,
  maps: SongMaps,
  grid: Grid | null,
  marks: readonly NoteMark[],
): void {
  const bottom = noteBottom(frame);
  const high = keyHeight(frame);
  for (let key = frame.keys.low; key <= frame.keys.high; key += 1) {
    if (BLACK.has(key % 12)) {
      c.fillStyle = TOKENS.tint;
      c.fillRect(LEFT, keyY(frame, key), right(frame) - LEFT, high);
    }
    if (key % 12 !== 0) continue;
    c.fillStyle = TOKENS.ruleSoft;
    c.fillRect(LEFT, keyY(frame, key) + high - 1, right(frame) - LEFT, 1);
  }
  const perTick = (right(frame) - LEFT) / (frame.view.to - frame.view.from);
  const beats = beatsBetween(maps.meter, Math.max(0, frame.view.from), Math.min(frame.view.to, maps.end + 1));
  const bars = beats.filter((b) => b.accent === 'bar');
  const step = grid ? gridStep(grid) : 0;
  if (grid && step * perTick >= NEAREST_LINES) {
    c.fillStyle = TOKENS.ruleSoft;
    const first = beatsBetween(maps.meter, Math.max(0, frame.view.from - 4 * 3840), frame.view.to).filter(
      (b) => b.accent === 'bar',
    );
    first.forEach((bar, i) => {
      const next = first[i + 1]?.tick ?? frame.view.to;
      for (let tick = bar.tick; tick < next; tick += step)
        if (tick >= frame.view.from) c.fillRect(Math.round(rollX(frame, tick)), TOP, 1, bottom - TOP);
    });
  }
  const room = ((right(frame) - LEFT) / Math.max(1, bars.length)) | 0;
  const every = room >= 30 ? 1 : Math.ceil(30 / Math.max(1, room) / 4) * 4;
  const shown = 960 * perTick >= NEAREST_LINES ? beats : bars;
  for (const { tick, accent } of shown) {
    const x = Math.round(rollX(frame, tick));
    const bar = accent === 'bar' ? barAt(maps.meter, tick) : 0;
    if (bar > 0 && room < 6 && bar % every !== 1) continue;
    c.fillStyle = bar > 0 && room >= 14 ? TOKENS.ink2 : TOKENS.rule;
    c.fillRect(x, TOP, 1, frame.height - TOP - 4);
    if (bar === 0 || (every > 1 && bar % every !== 1)) continue;
    c.fillStyle = TOKENS.ink2;
    c.font = `12px ${FONTS.figures}`;
    c.textBaseline = 'alphabetic';
    c.fillText(String(bar), x + 4, TOP - 8);
  }
  for (const { number, bar, place } of marks) {
    const tick = barStart(maps.meter, bar);
    if (tick >= frame.view.from && tick < frame.view.to)
      drawNoteMark(c, rollX(frame, tick) + BESIDE_NUMBER + place, TOP - 12, number);
  }
  drawBands(c, frame);
}

/** Draws the lanes' names and the lines between them. */
function drawBands(c: Context, frame: RollFrame): void {
  c.font = `11px ${FONTS.text}`;
  c.textBaseline = 'middle';
  const named = [
    { name: 'Velocity', band: velocityBand(frame) },
    ...frame.lanes.map((lane) => ({ name: shortName(lane), band: laneBand(frame, lane) })),
  ];
  for (const { name, band } of named) {
    c.fillStyle = TOKENS.rule;
    c.fillRect(LEFT, band.top + band.height, right(frame) - LEFT, 1);
    c.fillStyle = TOKENS.ink2;
    c.fillText(name, 8, band.top + band.height / 2, LEFT - 12);
  }
}
function shortName(lane: Lane): string {
  if (lane === PEDAL) return 'Pedal';
  const words = laneWords(lane)
    .replace(/^the /, '')
    .replace(/^pitch /, '');
  return words[0]!.toUpperCase() + words.slice(1);
}

/** Draws the piano keys, which sound when pressed. */
export function drawKeys(c: Context, frame: RollFrame): void {
  const high = keyHeight(frame);
  c.fillStyle = TOKENS.sheet;
  c.fillRect(0, TOP, LEFT - 2, noteBottom(frame) - TOP);
  for (let key = frame.keys.low; key <= frame.keys.high; key += 1) {
    const y = keyY(frame, key);
    const black = BLACK.has(key % 12);
    c.fillStyle = black ? TOKENS.ink : TOKENS.sheet;
    c.fillRect(black ? 24 : 24, y, black ? 20 : 32, Math.max(1, high - 0.5));
    if (!black && high > 3) {
      c.fillStyle = TOKENS.ruleSoft;
      c.fillRect(24, y + high - 1, 32, 1);
    }
    if (key % 12 !== 0) continue;
    c.fillStyle = TOKENS.ink2;
    c.font = `11px ${FONTS.figures}`;
    c.textBaseline = 'middle';
    c.fillText(keyName(key), 2, y + high / 2);
  }
  c.fillStyle = TOKENS.ink;
  c.fillRect(LEFT - 2, TOP, 1, noteBottom(frame) - TOP);
}
