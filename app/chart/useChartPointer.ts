import { ref, type ComputedRef, type Ref } from 'vue';
import { sectionsOf } from '~~/core/document/maps';
import { leadInFrom } from '~~/core/recording/plan';
import type { PassPreview } from '~~/core/recording/passPreview';
import { rangeBetween } from '~~/core/recording/range';
import { barAt, barStart } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import type { Span } from '~~/core/vocabulary/modes';
import { useOpenSong } from '~/song/openSong';
import { usePass } from '~/transport/pass';
import { useRoll } from '~/transport/roll';
import { useHands } from '~/transport/performAction';
import { useSession } from '~/transport/session';
import { useRange } from '~/transport/useRange';
import { TAIL_BELOW } from './chartDrawing';
import { edgeAtPoint, nameAtPoint, placeOf, tickAtPoint, type ChartLayout } from './chartLayout';

/** Distance in pixels beyond which a press is a drag. */
const DRAGS_FROM = 5;
/**
 * Distance in pixels within which an edge is hit, by a mouse or pen, and by a finger; and that of the tail's handle.
 */
const EDGE_REACH = 6;
const FINGER_REACH = 18;
const TAIL_REACH = 14;

/** Object under a press: bars, an edge of the range, the tail's handle, or a section's name. */
type Grip =
  | { readonly on: 'bars' | 'from' | 'to' | 'tail'; readonly tick: Ticks }
  | { readonly on: 'section'; readonly tick: Ticks; readonly section: TickRange };

interface Pressed {
  readonly grip: Grip;
  readonly x: number;
  readonly y: number;
}

/** Pointer and keyboard handling of the chart's bars and brackets. */
export function useChartPointer(
  paper: Ref<HTMLElement | null>,
  layout: ComputedRef<ChartLayout>,
  preview: (dragged: TickRange | null, leadIn?: Span | null) => PassPreview,
) {
  const openSong = useOpenSong();
  const session = useSession();
  const hands = useHands();
  const pass = usePass();
  const roll = useRoll();
  const { snap, setRange, setEdge } = useRange();

  /** Range that is being selected, or whose edge is being dragged. */
  const dragged = ref<TickRange | null>(null);
  let pressed: Pressed | null = null;

  const pointOf = (event: PointerEvent): [number, number] => {
    const box = paper.value!.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const between = (a: Ticks, b: Ticks): TickRange => rangeBetween(openSong.maps, openSong.document.brief.snap, a, b);

  /** Section of a row. A click on its name selects it; a drag copies its bars to another place. */
  const sectionFrom = (firstBar: number): TickRange | undefined =>
    sectionsOf(openSong.document, openSong.maps.meter).find((s) => s.firstBar === firstBar);
  /** Range as long as the section, from the bar at a place. */
  function sectionAt({ from, to }: TickRange, tick: Ticks): TickRange {
    const { meter } = openSong.maps;
    const [first, bar] = [barAt(meter, from), barAt(meter, tick)];
    return { from: barStart(meter, bar), to: barStart(meter, bar + barAt(meter, to - 1) - first + 1) };
  }

  /** Lead-in that is being dragged. */
  const draggedLead = ref<Span | null>(null);
  /** True while the pointer is over the handle of the in-bracket's tail. */
  const isNearTail = ref(false);
  const tailFrom = ({ range, edges, around, planned }: PassPreview): TickRange | null => {
    if (!range || !edges.from || !planned || openSong.document.brief.wait !== 'no') return null;
    return { from: around.find((lead) => lead.to === planned.from)?.from ?? planned.from, to: planned.from };
  };
  function atTail(x: number, y: number): boolean {
    const tail = tailFrom(preview(null));
    const place = tail && placeOf(layout.value, tail.from);
    if (!place || pass.recording) return false;
    const { row } = place;
    return Math.hypot(x - place.x, y - (row.y + row.height + TAIL_BELOW)) <= TAIL_REACH;
  }
  /** Lead-in from the bar line or beat nearest to a place. */
  function leadInTo(tick: Ticks): Span {
    const { range } = openSong.document.brief;
    return leadInFrom(openSong.maps.meter, Math.min(snap(tick), range!.from), range!.from);
  }

  function gripAt(x: number, y: number, reach: number): Grip | undefined {
    if (atTail(x, y)) return { on: 'tail', tick: openSong.document.brief.range!.from };
    const named = nameAtPoint(layout.value, x, y);
    const section = named && sectionFrom(named.firstBar);
    if (section) return { on: 'section', tick: section.from, section };
    const tick = tickAtPoint(layout.value, x, y);
    if (tick === undefined) return undefined;
    const { range } = preview(null);
    const edge = range && !pass.recording ? edgeAtPoint(layout.value, range, x, y, reach) : undefined;
    return { on: edge ?? 'bars', tick };
  }

  function down(event: PointerEvent): void {
    if (event.button !== 0) return;
    const grip = gripAt(...pointOf(event), event.pointerType === 'touch' ? FINGER_REACH : EDGE_REACH);
    if (!grip) return;
    if (event.shiftKey && grip.on !== 'section') {
      setRange(between(openSong.document.brief.range?.from ?? roll.playhead, grip.tick));
      return;
    }
    pressed = { grip, x: event.clientX, y: event.clientY };
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent): void {
    if (!pressed) {
      isNearTail.value = atTail(...pointOf(event));
      return;
    }
    const far = Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y);
    if (!dragged.value && !draggedLead.value && far < DRAGS_FROM) return;
    const { grip } = pressed;
    const tick = tickAtPoint(layout.value, ...pointOf(event), true) ?? grip.tick;
    const { range } = openSong.document.brief;
    if (grip.on === 'section') dragged.value = sectionAt(grip.section, tick);
    else if (grip.on === 'tail') draggedLead.value = leadInTo(tick);
    else if (grip.on === 'bars' || !range) dragged.value = between(grip.tick, tick);
    else if (grip.on === 'from') dragged.value = { from: Math.min(snap(tick), range.to - 1), to: range.to };
    else dragged.value = { from: range.from, to: Math.max(snap(tick), range.from + 1) };
  }

  /** Carries out what was dragged; a press without a drag selects a section, or moves the playhead to a bar. */
  function up(): void {
    const done = dragged.value;
    const lead = draggedLead.value;
    const grip = pressed?.grip;
    pressed = null;
    dragged.value = null;
    draggedLead.value = null;
    if (!grip) return;
    const { meter } = openSong.maps;
    if (grip.on === 'tail') {
      if (lead) openSong.setBrief({ leadIn: lead, leadInOn: true });
    } else if (grip.on === 'section') {
      if (!done) setRange(grip.section);
      // A section that is released where it was grabbed is not copied.
      else if (done.from !== grip.section.from) hands.copyTo(grip.section, done.from);
    } else if (!done) session.seek(barStart(meter, barAt(meter, grip.tick)));
    else if (grip.on === 'bars') setRange(done);
    else setEdge(grip.on, done[grip.on]);
  }
  const leave = (): void => {
    isNearTail.value = false;
  };

  const letGo = (): void => openSong.setBrief({ range: null });

  /** Extends the selected range by a bar at its end, or shortens it; without one, selects the playhead's bar. */
  function reachTo(by: 1 | -1): void {
    const { meter } = openSong.maps;
    const now = openSong.document.brief.range;
    const first = barAt(meter, now ? now.from : roll.playhead);
    const before = now ? barAt(meter, now.to - 1) : first - Math.max(0, by);
    const last = Math.min(openSong.document.bars, before + by);
    if (last < first) letGo();
    else setRange({ from: barStart(meter, first), to: barStart(meter, last + 1) });
  }

  /** Keyboard of the focused chart: Shift with an arrow selects bars, Escape deselects. */
  function key(event: KeyboardEvent): void {
    if (event.key === 'Escape') letGo();
    else if (event.shiftKey && event.key === 'ArrowRight') reachTo(1);
    else if (event.shiftKey && event.key === 'ArrowLeft') reachTo(-1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  return { dragged, draggedLead, tailFrom, isNearTail, down, move, up, leave, key };
}
