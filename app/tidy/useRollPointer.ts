import { ref, shallowRef, type ComputedRef, type Ref } from 'vue';
import { curve, drawLane, pedalBars, pointsOf, setPedal, thinned, PEDAL } from '~~/core/editing/lanes';
import type { PedalBar, Point, Shape } from '~~/core/editing/lanes';
import { lengthenNotes, moveStarts, splitNotes, changeVelocities } from '~~/core/editing/notes';
import { chordOf, inFrame, ofKey, struckIn } from '~~/core/editing/select';
import { placeWords } from '~~/core/editing/rows';
import type { Lane } from '~~/core/performance/controls';
import { keyName } from '~~/core/performance/messages';
import type { TreatedNote } from '~~/core/timing/treatment';
import { barAt, barStart } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useSession } from '~/transport/session';
import { keyOfY, noteAt, placeAt, rollX, tickOfX, velocityBand, type RollFrame } from './rollFrame';
import { valueAtY } from './rollLanes';
import { velocityAtY, type Dragged } from './rollNotes';
import { useTidy } from './tidy';

/** Distance in pixels beyond which a press is a drag. */
const DRAGS_FROM = 4;
/** Distance in pixels from an edge within which a pedal bar is trimmed. */
const GRIP = 6;
const NEW_VELOCITY = 80;

export type LaneTool = 'free' | Shape;

type Press =
  | { readonly kind: 'notes'; readonly note: TreatedNote; readonly grip: 'start' | 'end' | 'whole' }
  | { readonly kind: 'frame' | 'ruler' | 'keys' }
  | { readonly kind: 'new note'; readonly start: Ticks; readonly key: number }
  | { readonly kind: 'velocity'; readonly note: TreatedNote }
  | { readonly kind: 'velocity line' }
  | { readonly kind: 'bar'; readonly bar: PedalBar; readonly grip: 'start' | 'end' | 'whole' }
  | { readonly kind: 'new bar' }
  | { readonly kind: 'lane'; readonly lane: Lane; readonly drawn: Point[] };

/** Pointer on the roll. Nothing is changed before its release, so that a drag is one step of undo. */
export function useRollPointer(
  host: Ref<HTMLElement | null>,
  frame: ComputedRef<RollFrame>,
  laneTool: Ref<LaneTool>,
  controls: ComputedRef<readonly { readonly at: Ticks }[]>,
) {
  const tidy = useTidy();
  const openSong = useOpenSong();
  const session = useSession();

  const dragged = shallowRef<Dragged | null>(null);
  /** Frame or line that is being drawn, from one point to another. */
  const rubber = shallowRef<readonly [number, number, number, number] | null>(null);
  const rubberLine = ref(false);
  /** Words beside the pointer, and their place. */
  const said = shallowRef<{ readonly text: string; readonly x: number; readonly y: number } | null>(null);
  const bar = shallowRef<PedalBar | null>(null);
  /** Lane that is being drawn in. */
  const drawing = shallowRef<{ readonly lane: Lane; readonly points: readonly Point[] } | null>(null);
  let press: Press | null = null;
  let [x0, y0] = [0, 0];
  let far = false;
  let more = false;

  const pointOf = (event: MouseEvent): [number, number] => {
    const box = host.value!.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const tick = (x: number): Ticks => tickOfX(frame.value, x);
  const words = (at: Ticks): string => placeWords(at, 'bars', openSong.maps);
  const say = (text: string, x: number, y: number): void => {
    said.value = { text, x: Math.min(x + 14, frame.value.width - 150), y: Math.max(4, y - 30) };
  };
  /** Distance by which the grabbed note snaps; all others move as far. */
  const movedBy = (note: TreatedNote, at: 'start' | 'end', by: Ticks): Ticks =>
    tidy.snap === 'free' ? Math.round(by) : tidy.snapped(note[at] + by) - note[at];
  const points = (lane: Lane): Point[] => pointsOf(controls.value as Parameters<typeof pointsOf>[0], lane);

  function down(event: PointerEvent): void {
    if (event.button !== 0 || !tidy.shown) return;
    const [x, y] = pointOf(event);
    [x0, y0, far, more] = [x, y, false, event.shiftKey || event.ctrlKey || event.metaKey];
    const place = placeAt(frame.value, x, y);
    press = pressed(place, x, y);
    if (!press) return;
    host.value!.setPointerCapture(event.pointerId);
    if (press.kind === 'notes') {
      tidy.soundNote(press.note);
      if (!tidy.chosen.has(press.note.id)) tidy.choose([press.note], more ? 'more' : 'only');
      else if (more) tidy.choose([press.note], 'less');
      tidy.cursor = press.note.id;
    }
    if (press.kind === 'keys') {
      const key = keyOfY(frame.value, y);
      tidy.soundNote({ key, velocity: NEW_VELOCITY });
      if (more) tidy.choose(ofKey(tidy.all, key), 'more');
    }
  }

  function pressed(place: ReturnType<typeof placeAt>, x: number, y: number): Press | null {
    if (place === 'nowhere') return null;
    bar.value = null;
    if (place === 'ruler' || place === 'keys') return { kind: place };
    if (place === 'notes') {
      const found = noteAt(frame.value, tidy.all, x, y);
      if (found && tidy.tool === 'cut') {
        const these = tidy.chosen.has(found.note.id) ? tidy.selection : [found.note];
        const at = tidy.snapped(tick(x));
        tidy.change(
          'splitting notes',
          splitNotes(these, tidy.shown!, at, () => crypto.randomUUID()),
        );
        return null;
      }
      if (found) return { kind: 'notes', ...found };
      if (tidy.tool !== 'draw') return { kind: 'frame' };
      const key = keyOfY(frame.value, y);
      tidy.soundNote({ key, velocity: NEW_VELOCITY });
      return { kind: 'new note', start: startOfStep(tick(x)), key };
    }
    if (place === 'velocity') {
      const near = nearestVelocity(x);
      return near ? { kind: 'velocity', note: near } : { kind: 'velocity line' };
    }
    if (place.lane !== PEDAL)
      return { kind: 'lane', lane: place.lane, drawn: [[Math.round(tick(x)), valueAtY(frame.value, place.lane, y)]] };
    const found = pedalBars(points(PEDAL), openSong.maps.end).find(
      (b) => rollX(frame.value, b.from) - GRIP <= x && rollX(frame.value, b.to) + GRIP >= x,
    );
    if (!found) return { kind: 'new bar' };
    bar.value = found;
    const [from, to] = [rollX(frame.value, found.from), rollX(frame.value, found.to)];
    let grip: 'start' | 'end' | 'whole' = 'whole';
    if (x > to - GRIP) grip = 'end';
    else if (x < from + GRIP) grip = 'start';
    return { kind: 'bar', bar: found, grip };
  }
  /** Start of the step that a place is in, where a new note begins. */
  function startOfStep(at: Ticks): Ticks {
    const near = tidy.snapped(at);
    return near > at && tidy.snap !== 'free' && tidy.snap !== 'tick' ? tidy.snapped(near - tidy.step) : near;
  }
  function nearestVelocity(x: number): TreatedNote | null {
    const drawn = frame.value;
    const near = tidy.notes.filter((n) => Math.abs(rollX(drawn, n.start) - x) <= 5);
    return near.find((n) => tidy.chosen.has(n.id)) ?? near[0] ?? null;
  }
  const held = (note: TreatedNote): readonly TreatedNote[] => (tidy.chosen.has(note.id) ? tidy.selection : [note]);

  function move(event: PointerEvent): void {
    const [x, y] = pointOf(event);
    if (!press) return hover(x, y);
    if (!far && Math.hypot(x - x0, y - y0) < DRAGS_FROM) return;
    far = true;
    if (press.kind === 'notes') dragNotes(press, x, y);
    else if (press.kind === 'frame') rubber.value = [x0, y0, x, y];
    else if (press.kind === 'ruler') rubber.value = [x0, 26, x, velocityBand(frame.value).top];
    else if (press.kind === 'new note') {
      const end = endOfNew(press.start, x);
      rubber.value = [rollX(frame.value, press.start), y0 - 5, rollX(frame.value, end), y0 + 5];
      say(`${keyName(press.key)}  ${words(press.start)}`, x, y);
    } else if (press.kind === 'velocity') {
      say(`Velocity ${velocityAtY(frame.value, y)}`, x, y);
      rubber.value = [x0 - 6, y, x0 + 6, y];
    } else if (press.kind === 'velocity line') {
      rubberLine.value = true;
      rubber.value = [x0, y0, x, y];
      say(`Velocity ${velocityAtY(frame.value, y0)} to ${velocityAtY(frame.value, y)}`, x, y);
    } else if (press.kind === 'bar' || press.kind === 'new bar') {
      const to = barTo(press, x);
      if (to) say(`Pedal ${words(to.from)} to ${words(to.to)}`, x, y);
      drawing.value = to
        ? {
            lane: PEDAL,
            points: [
              [to.from, to.depth],
              [to.to, 0],
            ],
          }
        : null;
    } else if (press.kind === 'lane') drawInLane(press, x, y);
  }

  function dragNotes({ note, grip }: Extract<Press, { kind: 'notes' }>, x: number, y: number): void {
    // The set stays the same object during a drag, so that the sheet beneath is drawn without these notes once.
    const ids = dragged.value?.ids ?? new Set(held(note).map((n) => n.id));
    const by = tick(x) - tick(x0);
    const none = { ids, by: 0, keys: 0, startBy: 0, endBy: 0 };
    if (grip === 'whole') {
      const keys = keyOfY(frame.value, y) - keyOfY(frame.value, y0);
      const along = movedBy(note, 'start', by);
      if (keys !== (dragged.value?.keys ?? 0)) tidy.soundNote({ key: note.key + keys, velocity: note.velocity });
      dragged.value = { ...none, by: Math.abs(x - x0) < DRAGS_FROM ? 0 : along, keys };
      say(`${keyName(Math.max(0, Math.min(127, note.key + keys)))}  ${words(note.start + dragged.value.by)}`, x, y);
    } else if (grip === 'end') {
      dragged.value = { ...none, endBy: movedBy(note, 'end', by) };
      say(`ends ${words(note.end + dragged.value.endBy)}`, x, y);
    } else {
      const startBy = movedBy(note, 'start', by);
      dragged.value = { ...none, startBy, endBy: 0 };
      say(`starts ${words(note.start + startBy)}`, x, y);
    }
  }

  const endOfNew = (start: Ticks, x: number): Ticks => {
    const end = tidy.snap === 'free' || tidy.snap === 'tick' ? Math.round(tick(x)) : startOfStep(tick(x)) + tidy.step;
    return Math.max(start + Math.max(10, tidy.snap === 'grid' ? tidy.step : 10), end);
  };

  function barTo(at: Extract<Press, { kind: 'bar' | 'new bar' }>, x: number): PedalBar | null {
    const snapped = (tickAt: Ticks): Ticks => (tidy.snap === 'free' ? Math.round(tickAt) : tidy.snapped(tickAt));
    if (at.kind === 'new bar') {
      const [a, b] = [snapped(tick(x0)), snapped(tick(x))].sort((p, q) => p - q) as [number, number];
      return b > a ? { from: a, to: b, depth: 127 } : null;
    }
    const { bar: own, grip } = at;
    const by = tick(x) - tick(x0);
    if (grip === 'start') return { ...own, from: Math.min(own.to - 10, snapped(own.from + by)) };
    if (grip === 'end') return { ...own, to: Math.max(own.from + 10, snapped(own.to + by)) };
    const along = snapped(own.from + by) - own.from;
    return { ...own, from: own.from + along, to: own.to + along };
  }

  function drawInLane(at: Extract<Press, { kind: 'lane' }>, x: number, y: number): void {
    const value = valueAtY(frame.value, at.lane, y);
    const here: Point = [Math.round(tick(x)), value];
    const [first] = at.drawn;
    if (laneTool.value === 'free') at.drawn.push(here);
    const ends = first![0] <= here[0] ? ([first!, here] as const) : ([here, first!] as const);
    const shown = laneTool.value === 'free' ? sorted(at.drawn) : curve(ends[0], ends[1], laneTool.value);
    drawing.value = { lane: at.lane, points: shown };
    say(String(value), x, y);
  }
  /** Points in time order; of several at one place the last. */
  const sorted = (drawn: readonly Point[]): Point[] =>
    [...new Map(drawn.map((p) => [p[0], p])).values()].sort((a, b) => a[0] - b[0]);

  function hover(x: number, y: number): void {
    if (!host.value) return;
    const found = placeAt(frame.value, x, y) === 'notes' ? noteAt(frame.value, tidy.all, x, y) : null;
    let shape = 'default';
    if (found) shape = found.grip === 'whole' ? 'grab' : 'ew-resize';
    else if (tidy.tool !== 'point') shape = 'crosshair';
    host.value.style.cursor = shape;
  }

  function up(event: PointerEvent): void {
    const [x, y] = pointOf(event);
    const [was, moved] = [press, dragged.value];
    press = null;
    dragged.value = null;
    rubber.value = null;
    rubberLine.value = false;
    said.value = null;
    const drawn = drawing.value;
    drawing.value = null;
    if (!was || !tidy.shown) return;
    if (was.kind === 'notes') letGoOfNotes(was, moved);
    else if (was.kind === 'frame') frameTo(x, y);
    else if (was.kind === 'ruler') alongRuler(x);
    else if (was.kind === 'new note')
      tidy.draw({ start: was.start, end: endOfNew(was.start, far ? x : x0), key: was.key, velocity: NEW_VELOCITY });
    else if (was.kind === 'velocity' && far) {
      const by = velocityAtY(frame.value, y) - was.note.velocity;
      const these = held(was.note);
      tidy.change('the velocity', changeVelocities(these, tidy.shown, { by }));
    } else if (was.kind === 'velocity line' && far) velocityLine(x, y);
    else if (was.kind === 'bar' || was.kind === 'new bar') dropBar(was, x);
    else if (was.kind === 'lane' && tidy.part) {
      const points = thinned(drawn?.points ?? was.drawn, was.lane);
      const range = { from: points[0]![0], to: points.at(-1)![0] + 1 };
      tidy.change('drawing a controller', drawLane(tidy.part, was.lane, range, points));
    }
  }

  function letGoOfNotes({ note, grip }: Extract<Press, { kind: 'notes' }>, moved: Dragged | null): void {
    const these = held(note);
    if (!moved) {
      if (!far && !more && tidy.chosen.size > 1) tidy.choose([note]);
      return;
    }
    if (grip === 'whole') tidy.move(these, moved.by, moved.keys);
    else if (grip === 'end' && moved.endBy !== 0)
      tidy.change('the length of notes', lengthenNotes(these, tidy.shown!, { by: moved.endBy }));
    else if (moved.startBy !== 0) tidy.change('where notes start', moveStarts(these, tidy.shown!, moved.startBy));
  }

  function frameTo(x: number, y: number): void {
    if (!far) {
      if (!more) tidy.choose([]);
      session.seek(Math.max(0, tick(x)));
      return;
    }
    const range: TickRange = { from: tick(Math.min(x0, x)), to: tick(Math.max(x0, x)) };
    const [low, high] = [keyOfY(frame.value, Math.max(y0, y)), keyOfY(frame.value, Math.min(y0, y))];
    tidy.choose(inFrame(tidy.all, range, low, high), more ? 'more' : 'only');
  }
  function alongRuler(x: number): void {
    if (!far) return session.seek(Math.max(0, tidy.snapped(tick(x))));
    const { meter } = openSong.maps;
    const [a, b] = [tick(Math.min(x0, x)), tick(Math.max(x0, x))];
    const range = { from: barStart(meter, barAt(meter, a)), to: barStart(meter, barAt(meter, b) + 1) };
    tidy.choose(struckIn(tidy.all, range), more ? 'more' : 'only');
  }
  function velocityLine(x: number, y: number): void {
    const [a, b] =
      x0 <= x
        ? [
            [x0, y0],
            [x, y],
          ]
        : [
            [x, y],
            [x0, y0],
          ];
    const [from, until] = [tick(a![0]!), tick(b![0]!)];
    const these = (tidy.selection.length > 0 ? tidy.selection : tidy.notes).filter(
      (n) => n.start >= from && n.start <= until,
    );
    const line = { from, first: velocityAtY(frame.value, a![1]!), until, last: velocityAtY(frame.value, b![1]!) };
    tidy.change('the velocity', changeVelocities(these, tidy.shown!, line));
  }
  function dropBar(at: Extract<Press, { kind: 'bar' | 'new bar' }>, x: number): void {
    const to = far ? barTo(at, x) : null;
    if (!to || !tidy.part) return;
    const before = at.kind === 'bar' ? at.bar : null;
    tidy.change('the pedal', setPedal(tidy.part, points(PEDAL), openSong.maps.end, before, to));
    bar.value = to;
  }

  function double(event: MouseEvent): void {
    const [x, y] = pointOf(event);
    const found = placeAt(frame.value, x, y) === 'notes' ? noteAt(frame.value, tidy.all, x, y) : null;
    if (found) tidy.choose(chordOf(tidy.all, found.note));
  }
  /** Deletes the selected pedal bar. @returns false where none is selected */
  function removeBar(): boolean {
    const own = bar.value;
    if (!own || !tidy.part) return false;
    tidy.change('the pedal', setPedal(tidy.part, points(PEDAL), openSong.maps.end, own, null));
    bar.value = null;
    return true;
  }
  function cancel(): void {
    press = null;
    dragged.value = null;
    rubber.value = null;
    said.value = null;
    drawing.value = null;
  }

  return { dragged, rubber, rubberLine, said, bar, drawing, down, move, up, double, removeBar, cancel };
}
