import type { Brief } from '../document/brief';
import type { SongDocument } from '../document/document';
import type { SongMaps } from '../document/maps';
import type { TickRange, Ticks } from '../time/units';
import { listenersOf } from './inputRoutes';
import { modeOf } from './outcome';
import { leadInStart, loopRange } from './plan';
import { recordedRange, spanAfter } from './settings';
import type { PassPlan, Phase } from './state';

/** Preview of what Record would do to a part, drawn on the chart before it is pressed. */
export interface PassPreview {
  /** Selected range as far as its ends are on; null without one. */
  readonly range: TickRange | null;
  /** Ends that are on. */
  readonly edges: { readonly from: boolean; readonly to: boolean };
  /** True if the part is armed. */
  readonly listens: boolean;
  /** Range that would be recorded; null where it would start at a moving playhead, or where the part is not armed. */
  readonly planned: TickRange | null;
  /** Extent of what is replaced: all, only where something is played, or nothing. */
  readonly over: 'all' | 'where played' | 'nothing';
  /** Extent of what is replaced: all, only where something is played, or nothing. */
  readonly around: readonly TickRange[];
}

function writesOver({ ride, loop, laps, mode }: Brief): PassPreview['over'] {
  if (ride !== null || modeOf(loop ? { laps } : {}, mode) === 'merge') return 'nothing';
  const partly = loop
    ? laps === 'play to overwrite'
    : mode === 'replace while I play' || mode === 'replace from my first note';
  return partly ? 'where played' : 'all';
}

/** @param dragged range that is being set, instead of the brief's */
export function previewOf(
  song: SongDocument,
  maps: SongMaps,
  partId: string | undefined,
  playhead: Ticks,
  dragged: TickRange | null = null,
): PassPreview {
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

/** Range that the running pass replaces on the chart: its own notes are drawn there instead of the line's. */
export function replacedOnChart(
  plan: PassPlan | null,
  phase: Phase,
  partId: string | undefined,
  { over }: Pick<PassPreview, 'over'>,
): TickRange | null {
  const records = phase === 'recording' || phase === 'lead-out';
  const own = plan?.layers.some((l) => l.partId === partId) ?? false;
  return plan && records && own && over === 'all' ? plan.range : null;
}
