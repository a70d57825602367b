import type { TickRange, Ticks } from '~~/core/time/units';
import { edgeHere, snapped, withEdge, withLeadInTurned, withRange } from '~~/core/recording/range';
import { useNotices } from '~/notices/notices';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useRoll } from './roll';

/** Setting of in and out, shared by all stations. */
export function useRange() {
  const song = useSong();
  const reading = useReading();
  const roll = useRoll();
  const notices = useNotices();

  /** Nearest bar line, beat or the place itself, by the snap setting. */
  const snap = (tick: Ticks, to = song.document!.brief.snap): Ticks => snapped(reading.maps!, to, tick);

  const setRange = (range: TickRange): void => song.run({ type: 'set brief', brief: withRange(range) });

  /** Moves in or out; the other end moves along where it has to. */
  function setEdge(which: 'from' | 'to', tick: Ticks): void {
    const brief = withEdge(song.document!.brief, reading.maps!, which, tick);
    if (brief) song.run({ type: 'set brief', brief });
    else notices.say('In and out cannot lie on the same place. Nothing was changed.');
  }

  /** Sets in or out at the playhead, also while it moves. */
  function setHere(which: 'from' | 'to'): void {
    if (!reading.maps) return;
    setEdge(which, edgeHere(reading.maps, song.document!.brief.snap, which, roll.tickNow()));
  }

  function toggleLoop(): void {
    const { brief } = song.document!;
    const on = { loop: true, ...(brief.range ? { punchIn: true, punchOut: true } : {}) };
    song.run({ type: 'set brief', brief: brief.loop ? { loop: false } : on });
  }

  const toggleLeadIn = (): void => song.run({ type: 'set brief', brief: withLeadInTurned(song.document!.brief) });

  return { snap, setRange, setEdge, setHere, toggleLoop, toggleLeadIn };
}
