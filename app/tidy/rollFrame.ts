import type { Lane } from '~~/core/performance/controls';
import type { TreatedNote } from '~~/core/timing/treatment';
import type { TickRange, Ticks } from '~~/core/time/units';
import type { KeyRange } from '~/chart/chartDrawing';

/** Width of the piano keys at the left. */
export const LEFT = 58;
export const RIGHT = 8;
/** Height of the ruler with the bar numbers. */
export const TOP = 26;
const VELOCITY_HEIGHT = 56;
const LANE = 46;
const PEDAL_LANE = 26;
const BELOW = 6;
/** Distance in pixels from a note's end within which the pointer grabs the end. */
const END_GRIP = 6;

/** Layout of the roll, in CSS pixels. */
export interface RollFrame {
  readonly width: number;
  readonly height: number;
  readonly view: TickRange;
  readonly keys: KeyRange;
  /** Controllers shown under the notes, from the top. */
  readonly lanes: readonly Lane[];
}
export interface Band {
  readonly top: number;
  readonly height: number;
}

const laneHeight = (lane: Lane): number => (lane === 'control 64' ? PEDAL_LANE : LANE);
const below = ({ lanes }: RollFrame): number =>
  VELOCITY_HEIGHT + BELOW + lanes.reduce((sum, lane) => sum + laneHeight(lane) + BELOW, 0);
export const noteBottom = (frame: RollFrame): number => frame.height - below(frame) - 4;
export const velocityBand = (frame: RollFrame): Band => ({ top: noteBottom(frame) + BELOW, height: VELOCITY_HEIGHT });
export function laneBand(frame: RollFrame, lane: Lane): Band {
  let top = noteBottom(frame) + BELOW + VELOCITY_HEIGHT + BELOW;
  for (const other of frame.lanes) {
    if (other === lane) break;
    top += laneHeight(other) + BELOW;
  }
  return { top, height: laneHeight(lane) };
}

export const rollX = ({ width, view }: RollFrame, tick: Ticks): number =>
  LEFT + ((tick - view.from) / (view.to - view.from)) * (width - LEFT - RIGHT);
export const tickOfX = ({ width, view }: RollFrame, x: number): Ticks =>
  view.from + ((x - LEFT) / (width - LEFT - RIGHT)) * (view.to - view.from);
export const keyHeight = (frame: RollFrame): number =>
  (noteBottom(frame) - TOP) / (frame.keys.high - frame.keys.low + 1);
export const keyY = (frame: RollFrame, key: number): number => TOP + (frame.keys.high - key) * keyHeight(frame);
export const keyOfY = (frame: RollFrame, y: number): number =>
  Math.max(0, Math.min(127, frame.keys.high - Math.floor((y - TOP) / keyHeight(frame))));

/** Area of the roll that a point is in. */
export type Place = 'keys' | 'ruler' | 'notes' | 'velocity' | { readonly lane: Lane } | 'nowhere';
export function placeAt(frame: RollFrame, x: number, y: number): Place {
  if (y < TOP) return x >= LEFT ? 'ruler' : 'nowhere';
  if (y < noteBottom(frame)) return x < LEFT ? 'keys' : 'notes';
  const isIn = ({ top, height }: Band) => y >= top && y < top + height;
  if (x < LEFT) return 'nowhere';
  if (isIn(velocityBand(frame))) return 'velocity';
  const lane = frame.lanes.find((l) => isIn(laneBand(frame, l)));
  return lane ? { lane } : 'nowhere';
}

/** Note at a point. Notes that begin in view are looked at first, as it is not known how long earlier ones are. */
export function noteAt(
  frame: RollFrame,
  notes: readonly TreatedNote[],
  x: number,
  y: number,
): { readonly note: TreatedNote; readonly grip: 'start' | 'end' | 'whole' } | null {
  const key = keyOfY(frame, y);
  const slack = 3;
  for (let i = notes.length - 1; i >= 0; i -= 1) {
    const note = notes[i]!;
    if (note.key !== key) continue;
    const [from, to] = [rollX(frame, note.start), Math.max(rollX(frame, note.end), rollX(frame, note.start) + 5)];
    if (x < from - slack || x > to + slack) continue;
    const wide = to - from > 3 * END_GRIP;
    if (x > to - END_GRIP && (wide || x > to)) return { note, grip: 'end' };
    if (x < from + END_GRIP && wide) return { note, grip: 'start' };
    return { note, grip: 'whole' };
  }
  return null;
}
