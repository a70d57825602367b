import type { Part } from '../document/part';
import { laneOf } from '../performance/controls';
import type { Reading } from '../performance/notes';
import { readLayer, type LayerEvent } from '../takes/layer';
import { clear, merge } from '../takes/take';
import { tempoMap, tickAt } from '../time/tempo';
import { SECOND_TOLERANCE, type Seconds, type TickRange } from '../time/units';
import type { Mode } from '../vocabulary/modes';
import { modeOf } from './outcome';
import { silencedBy } from './silenced';
import type { PassPlan, PassState } from './state';
import { eventsOf, type ListeningPart, type Lap } from './lap';

/** Reading of an armed part in a lap so far. */
export const readingSoFar = (laps: Lap, voice: ListeningPart, now: Seconds): Reading =>
  readSoFar(laps, voice, eventsOf(laps, voice), now);

/** Reading of some events of an armed part in a lap so far. */
export function readSoFar(laps: Lap, { header }: ListeningPart, events: readonly LayerEvent[], now: Seconds): Reading {
  const { planned } = header;
  const here = tickAt(tempoMap(header.tempo), Math.min(now, laps.endsAt) - laps.frame);
  const to = Math.max(planned.from, Math.min(planned.to, here));
  return readLayer(
    {
      header,
      events,
      closing: {
        range: { from: planned.from, to },
        clears: [],
        seam: { ...laps.seam, end: laps.ended !== null && laps.seam.end },
      },
    },
    header.placement,
  );
}

/** Mode by which a part's line is heard while its laps are recorded. */
function heardBy(plan: PassPlan, { header }: ListeningPart, begun: boolean): Mode {
  switch (header.laps) {
    case 'fresh, then build up':
      return begun ? 'merge' : 'new take';
    // The old line is heard until something is played over it.
    case 'play to overwrite':
      return 'replace from my first note';
    default:
      return modeOf(header, plan.mode);
  }
}

/** Line without the controller that the pass rides. */
function withoutRide(line: Reading, { ride, planned }: ListeningPart['header']): Reading {
  const goes = ({ at, message }: Reading['controls'][number]): boolean =>
    laneOf(message) === ride && at >= planned.from && at < planned.to;
  return { ...line, controls: line.controls.filter((control) => !goes(control)) };
}

/** Laps that a part is recorded in: the current one, and those before it. */
function recordedOver(state: PassState, plan: PassPlan, partId: string) {
  const all = state.laps.flatMap((laps) =>
    laps.listening.filter((v) => v.header.partId === partId).map((voice) => ({ laps, voice })),
  );
  return { all, last: all.findLast(({ laps }) => laps.passId === plan.passId) };
}
type Over = NonNullable<ReturnType<typeof recordedOver>['last']>;

/** Ranges in which the line is muted while it is recorded over. */
function silentOver({ laps, voice }: Over, plan: PassPlan, part: RecordedPart, at: Seconds, now: Seconds): TickRange[] {
  if (part.overLine) return [];
  const { header } = voice;
  const recordsHere = at < laps.endsAt - SECOND_TOLERANCE;
  const own = recordsHere ? readingSoFar(laps, voice, now).notes : [];
  const begun = part.takes.some((t) => t.id === header.takeId);
  const here = tickAt(tempoMap(header.tempo), Math.max(0, now - laps.frame));
  return silencedBy(heardBy(plan, voice, begun), header.planned, own, here, header.gap ?? 0);
}
type RecordedPart = Pick<Part, 'id' | 'takes' | 'overLine'>;

/**
 * Ranges in which a part's recorded sound is muted while the part is recorded over: those that this pass will have
 * cleared.
 * @param at on the rolling clock: start of the range that is scheduled
 * @param now on the rolling clock: place of the pass
 */
export function silentUnderPass(
  state: PassState,
  plan: PassPlan,
  part: RecordedPart,
  at: Seconds,
  now: Seconds,
): TickRange[] {
  const { last } = recordedOver(state, plan, part.id);
  return last && !last.voice.header.ride ? silentOver(last, plan, part, at, now) : [];
}

/**
 * Line of a part as it is heard while the part is recorded over: without what this pass will have cleared by then, and
 * with earlier laps that it adds to.
 * @param at on the rolling clock: start of the range that is scheduled
 * @param now on the rolling clock: place of the pass
 */
export function lineUnderPass(
  state: PassState,
  plan: PassPlan,
  part: RecordedPart,
  line: Reading,
  at: Seconds,
  now: Seconds,
): Reading {
  const { all, last } = recordedOver(state, plan, part.id);
  if (!last) return line;
  const { header } = last.voice;
  const merges = modeOf(header, plan.mode) === 'merge';
  if (header.ride) return merges ? line : withoutRide(line, header);
  // Laps that have ended and are in no take yet; for coming laps also the current one.
  const builds = (plan.loop && merges) || header.laps === 'fresh, then build up';
  const pending = (builds ? all : [])
    .filter(({ laps: w }) => w.passId === plan.passId && w.endsAt <= at + SECOND_TOLERANCE)
    .map(({ laps: w, voice: v }) => ({ reading: readingSoFar(w, v, now), range: v.header.planned }))
    .filter(({ reading }) => reading.notes.length > 0);
  const silent = silentOver(last, plan, part, at, now);
  return pending.reduce((under, { reading, range }) => merge(under, reading, range), clear(line, silent));
}
