import type { Brief } from '../document/brief';
import type { SongDocument } from '../document/document';
import type { SongMaps } from '../document/maps';
import type { TickRange, Ticks } from '../time/units';
import { listenersOf } from './inputRoutes';
import { modeOf } from './outcome';
import { leadInStart, loopRange } from './plan';
import { recordedRange, spanAfter } from './settings';
import type { PassPlan, Phase } from './state';

/** Outlook: what Record would do to a part, as the chart shows it before it is pressed. */
export interface Outlook {
  /** The brackets: what is chosen, as far as it is on; null when nothing is. */
  readonly range: TickRange | null;
  /** Brackets that are there. */
  readonly edges: { readonly from: boolean; readonly to: boolean };
  /** True if the part hears the keys at all. */
  readonly listens: boolean;
  /**
   * Range that would be recorded; null when that would be from a playhead that moves, or when the part does not listen.
   */
  readonly planned: TickRange | null;
  /** Extent to which what is there gives way: all of it, only where something is played, or nothing. */
  readonly over: 'all' | 'where played' | 'nothing';
  /** Lead-in and lead-out, as far as there are any. */
  readonly around: readonly TickRange[];
}

function writesOver({ ride, loop, laps, mode }: Brief): Outlook['over'] {
  if (ride !== null || modeOf(loop ? { laps } : {}, mode) === 'merge') return 'nothing';
  const partly = loop
    ? laps === 'play to overwrite'
    : mode === 'replace while I play' || mode === 'replace from my first note';
  return partly ? 'where played' : 'all';
}

/**
 * @param dragged a range that is being set, in place of the brief's
 */
export function outlookOf(
  song: SongDocument,
  maps: SongMaps,
  partId: string | undefined,
  playhead: Ticks,
  dragged: TickRange | null = null,
): Outlook {
  const { brief } = song;
  const { end } = maps;
  const isOn = brief.punchIn || brief.punchOut || brief.loop;
  const range = dragged ?? (brief.range && isOn ? brief.range : null);
  const listens = listenersOf(song).some((l) => l.part.id === partId);
  const settings = dragged ? { ...brief, range: dragged, punchIn: true, punchOut: true } : brief;
  const recorded = brief.loop ? loopRange(brief, end) : recordedRange(settings, playhead, end);
  const planned = listens && range ? recorded : null;
  return {
    range,
    edges: dragged ? { from: true, to: true } : { from: brief.punchIn, to: brief.punchOut },
    listens,
    planned,
    over: writesOver(brief),
    around: planned ? leadsAround(song, maps, planned) : [],
  };
}

function leadsAround(song: SongDocument, { meter, end }: SongMaps, { from, to }: TickRange): TickRange[] {
  const { loop, leadOut } = song.brief;
  const leads = [
    { from: leadInStart(song, meter, from), to: from },
    { from: to, to: loop ? to : Math.min(end, spanAfter(meter, to, leadOut)) },
  ];
  return leads.filter((lead) => lead.to > lead.from);
}

/** Range that the pass under way replaces on the chart: its own notes are drawn there in place of the line's. */
export function replacedOnChart(
  plan: PassPlan | null,
  phase: Phase,
  partId: string | undefined,
  { over }: Pick<Outlook, 'over'>,
): TickRange | null {
  const records = phase === 'recording' || phase === 'lead-out';
  const own = plan?.layers.some((l) => l.partId === partId) ?? false;
  return plan && records && own && over === 'all' ? plan.range : null;
}
