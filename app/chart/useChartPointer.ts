import { ref, type ComputedRef, type Ref } from 'vue';
import { sectionsOf } from '~~/core/document/maps';
import { leadInFrom } from '~~/core/recording/plan';
import type { Outlook } from '~~/core/recording/outlook';
import { rangeBetween } from '~~/core/recording/range';
import { recordedRange } from '~~/core/recording/settings';
import { barAt, barStart } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from '~/transport/pass';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useRange } from '~/transport/useRange';
import { edgeAtPoint, nameAtPoint, tickAtPoint, type ChartLayout } from './chartLayout';

/** How far the pointer goes before it drags. */
const DRAGS_FROM = 5;

interface Pressed {
  readonly tick: Ticks;
  readonly x: number;
  readonly y: number;
  readonly edge: 'from' | 'to' | undefined;
}

/** What the chart's bars and brackets are told by the pointer and by keys. */
export function useChartPointer(
  paper: Ref<HTMLElement | null>,
  layout: ComputedRef<ChartLayout>,
  outlook: (dragged: TickRange | null) => Outlook,
) {
  const song = useSong();
  const reading = useReading();
  const session = useSession();
  const pass = usePass();
  const roll = useRoll();
  const { snap, setRange, setEdge } = useRange();

  /** What is being dragged over, or an edge on its way. */
  const dragged = ref<TickRange | null>(null);
  let pressed: Pressed | null = null;

  const pointOf = (event: PointerEvent): [number, number] => {
    const box = paper.value!.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const between = (a: Ticks, b: Ticks): TickRange => rangeBetween(reading.maps!, song.document!.brief.snap, a, b);

  /** A section's name selects the section. */
  function selectNamed(firstBar: number): void {
    const section = sectionsOf(song.document!, reading.maps!.meter).find((s) => s.firstBar === firstBar);
    if (section) setRange(section);
  }

  /** The lead-in begins at the bar that was pressed. */
  function leadInAt(tick: Ticks): void {
    const { meter, end } = reading.maps!;
    const from = outlook(null).planned?.from ?? recordedRange(song.document!.brief, roll.playhead, end).from;
    const leadIn = leadInFrom(meter, barStart(meter, barAt(meter, tick)), from);
    song.run({ type: 'set brief', brief: { leadIn, leadInOn: true } });
  }

  function down(event: PointerEvent): void {
    if (event.button !== 0) return;
    const [x, y] = pointOf(event);
    const named = nameAtPoint(layout.value, x, y);
    if (named) {
      selectNamed(named.firstBar);
      return;
    }
    const tick = tickAtPoint(layout.value, x, y);
    if (tick === undefined) return;
    if (event.altKey) {
      leadInAt(tick);
      return;
    }
    if (event.shiftKey) {
      setRange(between(song.document!.brief.range?.from ?? roll.playhead, tick));
      return;
    }
    const { range } = outlook(null);
    const edge = range && !pass.recording ? edgeAtPoint(layout.value, range, x, y) : undefined;
    pressed = { tick, x: event.clientX, y: event.clientY, edge };
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent): void {
    if (!pressed) return;
    const far = Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y);
    if (!dragged.value && far < DRAGS_FROM) return;
    const tick = tickAtPoint(layout.value, ...pointOf(event), true) ?? pressed.tick;
    const { range } = song.document!.brief;
    if (!pressed.edge || !range) dragged.value = between(pressed.tick, tick);
    else if (pressed.edge === 'from') dragged.value = { from: Math.min(snap(tick), range.to - 1), to: range.to };
    else dragged.value = { from: range.from, to: Math.max(snap(tick), range.from + 1) };
  }

  function up(): void {
    const done = dragged.value;
    const { meter } = reading.maps!;
    if (done && pressed?.edge) setEdge(pressed.edge, done[pressed.edge]);
    else if (done) setRange(done);
    else if (pressed) session.seek(barStart(meter, barAt(meter, pressed.tick)));
    pressed = null;
    dragged.value = null;
  }

  const letGo = (): void => song.run({ type: 'set brief', brief: { range: null } });

  /** One bar more at the end of the range, or one less; with none, the bar at the playhead. */
  function reachTo(by: 1 | -1): void {
    const { meter } = reading.maps!;
    const now = song.document!.brief.range;
    const first = barAt(meter, now ? now.from : roll.playhead);
    const before = now ? barAt(meter, now.to - 1) : first - Math.max(0, by);
    const last = Math.min(song.document!.bars, before + by);
    if (last < first) letGo();
    else setRange({ from: barStart(meter, first), to: barStart(meter, last + 1) });
  }

  /** With the chart in focus, Shift and the arrows select bars, Escape lets go. */
  function key(event: KeyboardEvent): void {
    if (event.key === 'Escape') letGo();
    else if (event.shiftKey && event.key === 'ArrowRight') reachTo(1);
    else if (event.shiftKey && event.key === 'ArrowLeft') reachTo(-1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  return { dragged, down, move, up, key };
}
