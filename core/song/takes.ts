import { many } from '../vocabulary/many';
import type { Brief } from '../document/brief';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { placementOf, type Take } from '../document/take';
import type { Note, Reading } from '../performance/notes';
import { recordedRange } from '../recording/settings';
import { readLayer, type Layer } from '../takes/layer';
import { barAt } from '../time/meter';
import { secondsAt } from '../time/tempo';
import type { Milliseconds, TickRange, Ticks } from '../time/units';
import { nearestGridPoint } from '../timing/grid';
import { barsWords } from '../time/words';

/** Take that could be picked instead of another, and its range. */
export interface OtherTake {
  readonly take: Take;
  readonly range: TickRange;
}

/** Range in which another take is picked: what the brief records, otherwise the comp's range at the playhead. */
function askedFor({ comp }: Part, brief: Brief, playhead: Ticks, end: Ticks): TickRange {
  if (brief.range && (brief.punchIn || brief.punchOut)) return recordedRange(brief, playhead, end);
  return comp.find((c) => c.from <= playhead && c.to > playhead) ?? { from: 0, to: end };
}

/**
 * Next or previous take with something in the range.
 * @param by -1 for the one before, 1 for the one after
 * @returns `none` where no take has anything there, `last` where there is no further one
 */
export function takeBeside(
  part: Part,
  brief: Brief,
  playhead: Ticks,
  end: Ticks,
  by: number,
): OtherTake | 'none' | 'last' {
  const asked = askedFor(part, brief, playhead, end);
  const meets = ({ from, to }: TickRange): boolean => from < asked.to && to > asked.from;
  const there = part.takes.filter(meets);
  if (there.length === 0) return 'none';
  const heard = part.comp.find(meets)?.takeId;
  const take = there[there.findIndex((t) => t.id === heard) + by];
  if (!take) return 'last';
  return { take, range: { from: Math.max(asked.from, take.from), to: Math.min(asked.to, take.to) } };
}

/** Words for the bars that were played: "bars 1–40 of 44", or their number where they are not contiguous. */
export function playedWords({ takes }: Part, notes: readonly Note[], { meter }: SongMaps, bars: number): string {
  const last = notes.at(-1);
  if (!last) return takes.length ? 'nothing picked' : 'not played yet';
  const played = new Set(notes.map((n) => barAt(meter, n.start)));
  const span = { from: notes[0]!.start, to: last.start + 1 };
  const whole = barAt(meter, last.start) - barAt(meter, span.from) + 1 === played.size;
  return `${whole ? barsWords(span, meter) : many(played.size, 'bar')} of ${bars}`;
}

/** Standard deviation of notes around their nearest sixteenths; null with too few notes. */
export function spreadOf({ notes }: Pick<Reading, 'notes'>, { tempo, meter }: SongMaps): Milliseconds | null {
  if (notes.length < 2) return null;
  const off = notes.map(({ start }) => {
    const line = nearestGridPoint('16 straight', meter, start);
    return (secondsAt(tempo, start) - secondsAt(tempo, line)) * 1000;
  });
  const mean = off.reduce((a, b) => a + b, 0) / off.length;
  return Math.sqrt(off.reduce((a, b) => a + (b - mean) ** 2, 0) / off.length);
}

/** Facts of one of a take's layers. */
export interface LayerFacts {
  /** Words such as "lap 3", or "pass 2" without a loop. */
  readonly name: string;
  /** Effect on earlier layers: none before it, added, or replaced. */
  readonly does: 'first' | 'added' | 'replaces';
  /** Words such as "bars 5–8". */
  readonly bars: string;
  readonly notes: number;
  /** Start, as an ISO 8601 date and time. */
  readonly at: string;
}

/** @param index of the layer in its take */
export function layerFacts(layer: Layer, take: Take, index: number, { meter }: SongMaps): LayerFacts {
  const { header, closing } = layer;
  const first = index === 0 ? 'first' : 'added';
  return {
    name: header.lap === undefined ? `pass ${index + 1}` : `lap ${header.lap + 1}`,
    does: closing.clears.length ? 'replaces' : first,
    bars: barsWords(closing.range, meter),
    notes: readLayer(layer, placementOf(take, header.id)).notes.length,
    at: header.startedAt,
  };
}
