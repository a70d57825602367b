import { ref, type ComputedRef, type Ref } from 'vue';
import { sectionsOf } from '~~/core/document/maps';
import { leadInFrom } from '~~/core/recording/plan';
import type { Outlook } from '~~/core/recording/passPreview';
import { rangeBetween } from '~~/core/recording/range';
import { barAt, barStart } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import type { Span } from '~~/core/vocabulary/modes';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from '~/transport/pass';
import { useRoll } from '~/transport/roll';
import { useHands } from '~/transport/performAction';
import { useSession } from '~/transport/session';
import { useRange } from '~/transport/useRange';
import { TAIL_BELOW } from './chartDrawing';
import { edgeAtPoint, nameAtPoint, placeOf, tickAtPoint, type ChartLayout } from './chartLayout';

/** Distance from which a pointer drags. */
const DRAGS_FROM = 5;
/** Distance within which an edge is meant, by a mouse or a pen, and by a finger; and that of the tail's handle. */
const EDGE_REACH = 6;
const FINGER_REACH = 18;
const TAIL_REACH = 14;

interface Pressed {
  readonly tick: Ticks;
  readonly x: number;
  readonly y: number;
  readonly edge: 'from' | 'to' | 'lead-in' | undefined;
  /** The section whose name was taken hold of. */
  readonly section?: TickRange;
}

/** Pointer and keys on the chart's bars and brackets. */
export function useChartPointer(
  paper: Ref<HTMLElement | null>,
  layout: ComputedRef<ChartLayout>,
  outlook: (dragged: TickRange | null, leadIn?: Span | null) => Outlook,
) {
  const song = useSong();
  const reading = useReading();
  const session = useSession();
  const hands = useHands();
  const pass = usePass();
  const roll = useRoll();
  const { snap, setRange, setEdge } = useRange();

  /** Range that is being dragged over, or an edge on its way. */
  const dragged = ref<TickRange | null>(null);
  let pressed: Pressed | null = null;

  const pointOf = (event: PointerEvent): [number, number] => {
    const box = paper.value!.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const between = (a: Ticks, b: Ticks): TickRange => rangeBetween(reading.maps!, song.document!.brief.snap, a, b);

  /** A section's name selects the section; dragged to another place, it copies its bars there. */
  const sectionFrom = (firstBar: number): TickRange | undefined =>
    sectionsOf(song.document!, reading.maps!.meter).find((s) => s.firstBar === firstBar);
  /** As long as the section, from the bar at a place. */
  function sectionAt({ from, to }: TickRange, tick: Ticks): TickRange {
    const { meter } = reading.maps!;
    const [first, bar] = [barAt(meter, from), barAt(meter, tick)];
    return { from: barStart(meter, bar), to: barStart(meter, bar + barAt(meter, to - 1) - first + 1) };
  }

  /** A lead-in that is being dragged. */
  const draggedLead = ref<Span | null>(null);
  /** The pointer is at the handle of the in-bracket's tail. */
  const isNearTail = ref(false);
  const tailFrom = ({ range, edges, around, planned }: Outlook): TickRange | null => {
    if (!range || !edges.from || !planned || song.document!.brief.wait !== 'no') return null;
    return { from: around.find((lead) => lead.to === planned.from)?.from ?? planned.from, to: planned.from };
  };
  function atTail(x: number, y: number): boolean {
    const tail = tailFrom(outlook(null));
    const place = tail && placeOf(layout.value, tail.from);
    if (!place || pass.recording) return false;
    const { row } = place;
    return Math.hypot(x - place.x, y - (row.y + row.height + TAIL_BELOW)) <= TAIL_REACH;
  }
  /** Lead-in that begins at the bar line or beat that is nearest to a place. */
  function leadInTo(tick: Ticks): Span {
    const { range } = song.document!.brief;
    return leadInFrom(reading.maps!.meter, Math.min(snap(tick), range!.from), range!.from);
  }

  function down(event: PointerEvent): void {
    if (event.button !== 0) return;
    const [x, y] = pointOf(event);
    if (atTail(x, y)) {
      const { range } = song.document!.brief;
      pressed = { tick: range!.from, x: event.clientX, y: event.clientY, edge: 'lead-in' };
      (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
      return;
    }
    const named = nameAtPoint(layout.value, x, y);
    const section = named && sectionFrom(named.firstBar);
    if (section) {
      pressed = { tick: section.from, x: event.clientX, y: event.clientY, edge: undefined, section };
      (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
      return;
    }
    const tick = tickAtPoint(layout.value, x, y);
    if (tick === undefined) return;
    if (event.shiftKey) {
      setRange(between(song.document!.brief.range?.from ?? roll.playhead, tick));
      return;
    }
    const { range } = outlook(null);
    const edge =
      range && !pass.recording
        ? edgeAtPoint(layout.value, range, x, y, event.pointerType === 'touch' ? FINGER_REACH : EDGE_REACH)
        : undefined;
    pressed = { tick, x: event.clientX, y: event.clientY, edge };
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent): void {
    if (!pressed) {
      isNearTail.value = atTail(...pointOf(event));
      return;
    }
    const far = Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y);
    if (!dragged.value && !draggedLead.value && far < DRAGS_FROM) return;
    const tick = tickAtPoint(layout.value, ...pointOf(event), true) ?? pressed.tick;
    const { range } = song.document!.brief;
    if (pressed.section) dragged.value = sectionAt(pressed.section, tick);
    else if (pressed.edge === 'lead-in') draggedLead.value = leadInTo(tick);
    else if (!pressed.edge || !range) dragged.value = between(pressed.tick, tick);
    else if (pressed.edge === 'from') dragged.value = { from: Math.min(snap(tick), range.to - 1), to: range.to };
    else dragged.value = { from: range.from, to: Math.max(snap(tick), range.from + 1) };
  }

  function up(): void {
    const done = dragged.value;
    const { meter } = reading.maps!;
    if (pressed?.section && done) hands.copyTo(pressed.section, done.from);
    else if (pressed?.section) setRange(pressed.section);
    else if (draggedLead.value) song.run({ type: 'set brief', brief: { leadIn: draggedLead.value, leadInOn: true } });
    else if (done && pressed?.edge && pressed.edge !== 'lead-in') setEdge(pressed.edge, done[pressed.edge]);
    else if (done) setRange(done);
    else if (pressed && pressed.edge !== 'lead-in') session.seek(barStart(meter, barAt(meter, pressed.tick)));
    pressed = null;
    dragged.value = null;
    draggedLead.value = null;
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

  return { dragged, draggedLead, tailFrom, isNearTail, down, move, up, key };
}
