import type { TickRange, Ticks } from '~~/core/time/units';
import { edgeHere, snapped, withEdge, withLeadInTurned, withRange } from '~~/core/recording/range';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRoll } from './roll';

/** Setting of in and out, shared by all stations. */
export function useRange() {
  const openSong = useOpenSong();
  const reading = useReading();
  const roll = useRoll();
  const notices = useNotices();

  /** Nearest bar line, beat or the place itself, by the snap setting. */
  const snap = (tick: Ticks, to = openSong.document.brief.snap): Ticks => snapped(openSong.maps, to, tick);

  const setRange = (range: TickRange): void => openSong.setBrief(withRange(range));

  /** Moves in or out; the other end moves along where it has to. */
  function setEdge(which: 'from' | 'to', tick: Ticks): void {
    const brief = withEdge(openSong.document.brief, openSong.maps, which, tick);
    if (brief) openSong.setBrief(brief);
    else notices.say('In and out cannot lie on the same place. Nothing was changed.');
  }

  /** Sets in or out at the playhead, also while it moves. */
  function setHere(which: 'from' | 'to'): void {
    if (!reading.maps) return;
    setEdge(which, edgeHere(reading.maps, openSong.document.brief.snap, which, roll.tickNow()));
  }

  function toggleLoop(): void {
    const { brief } = openSong.document;
    const on = { loop: true, ...(brief.range ? { punchIn: true, punchOut: true } : {}) };
    openSong.setBrief(brief.loop ? { loop: false } : on);
  }

  const toggleLeadIn = (): void => openSong.setBrief(withLeadInTurned(openSong.document.brief));

  return { snap, setRange, setEdge, setHere, toggleLoop, toggleLeadIn };
}
