import type { Ticks, TickRange } from '~~/core/time/units';
import { barAt, barStart, meterAt } from '~~/core/time/meter';
import { TICKS_PER_QUARTER } from '~~/core/time/units';
import { useNotices } from '~/notices/notices';
import { useRoll } from './roll';
import { useSong } from '~/song/song';

/** The shortest stretch that can be recorded over. */
const SHORTEST: Ticks = TICKS_PER_QUARTER / 4;

/** Setting in and out, wherever it is done. */
export function useRange() {
  const song = useSong();
  const roll = useRoll();
  const notices = useNotices();

  /** The nearest bar line, beat, or place itself. */
  function snapped(tick: Ticks, snap = song.document!.brief.snap): Ticks {
    const { meter, end } = song.maps!;
    if (snap === 'free') return Math.max(0, Math.min(end, Math.round(tick)));
    const { ticksPerBeat, ticksPerBar, tick: from } = meterAt(meter, Math.max(0, tick));
    const step = snap === 'bar' ? ticksPerBar : ticksPerBeat;
    return Math.max(0, Math.min(end, from + Math.round((tick - from) / step) * step));
  }

  function setRange({ from, to }: TickRange): void {
    const [a, b] = [Math.min(from, to), Math.max(from, to)];
    song.run({
      type: 'set brief',
      brief: { range: { from: a, to: Math.max(a + SHORTEST, b) }, punchIn: true, punchOut: true },
    });
  }

  /** Moves one end; the other gives way where it has to. */
  function setEdge(which: 'from' | 'to', tick: Ticks): void {
    const { meter, end } = song.maps!;
    const bar = (at: Ticks) => meterAt(meter, at).ticksPerBar;
    const now = song.document!.brief.range ?? { from: 0, to: end };
    const range =
      which === 'from'
        ? { from: tick, to: now.to > tick ? now.to : Math.min(end, tick + bar(tick)) }
        : { from: now.from < tick ? now.from : Math.max(0, tick - bar(tick - 1)), to: tick };
    if (range.to - range.from < SHORTEST) {
      notices.say('In and out cannot lie on the same place. Nothing was changed.');
      return;
    }
    // The end that was never set stays off: only the one that is asked for is there.
    const fresh = song.document!.brief.range === null;
    const both = fresh
      ? { punchIn: which === 'from', punchOut: which === 'to' }
      : which === 'from'
        ? { punchIn: true }
        : { punchOut: true };
    song.run({ type: 'set brief', brief: { range, ...both } });
  }

  /** In or out where the playhead is, also while it moves. */
  function setHere(which: 'from' | 'to'): void {
    if (!song.maps) return;
    const { snap } = song.document!.brief;
    // In the first moments of a roll the music has not reached the ear.
    const tick = Math.max(0, Math.min(song.maps.end - 1, roll.tickNow()));
    const { meter } = song.maps;
    // An out set within a bar is meant for the end of it, while bars are what is set to.
    setEdge(which, snap === 'bar' ? barStart(meter, barAt(meter, tick) + (which === 'to' ? 1 : 0)) : snapped(tick));
  }

  function toggleLoop(): void {
    const { brief } = song.document!;
    song.run({
      type: 'set brief',
      brief: brief.loop ? { loop: false } : { loop: true, ...(brief.range ? { punchIn: true, punchOut: true } : {}) },
    });
  }

  return { snapped, setRange, setEdge, setHere, toggleLoop };
}
