import type { Brief } from '../document/brief';
import type { SongMaps } from '../document/maps';
import { barAt, barStart } from '../time/meter';
import { secondsAt, tickAt } from '../time/tempo';
import type { Seconds, Ticks } from '../time/units';
import { loopRange } from './plan';
import { isRolling, lapAt, type Loop, type PassState } from './state';

/**
 * Test for a note that has a place in the song. While a note is waited for, and in a count before bar 1, there is none
 * yet; just ahead of it means it. One that was made before the stop and arrives after it has its place; one that was
 * made after it has none.
 * @param at on the rolling clock
 * @param haltedAt where what rolled last was stopped
 */
export function hasPlace(
  { phase }: Pick<PassState, 'phase'>,
  { tempo }: SongMaps,
  early: Ticks,
  at: Seconds,
  haltedAt: Seconds,
): boolean {
  if (phase === 'waiting' || at < -secondsAt(tempo, early)) return false;
  return isRolling({ phase }) || at <= haltedAt;
}

/**
 * Place of the playhead after a halt: after a pass its start, ready to listen or go again; after a loop its start; at
 * the song's end bar 1.
 * @param at on the rolling clock: where it was halted
 */
export function playheadAfter({ plan, loop }: Pick<PassState, 'plan' | 'loop'>, maps: SongMaps, at: Seconds): Ticks {
  if (plan && !plan.punched) return Math.max(0, plan.range.from);
  if (loop) return Math.max(0, tickAt(maps.tempo, loop.from));
  const tick = tickAt(maps.tempo, at);
  return tick >= maps.end - 1 ? 0 : Math.max(0, tick);
}

/** Loop that playback from a place enters: the brief's, where it is on and does not lie before the place. */
export function loopFrom(brief: Brief, { tempo, end }: SongMaps, tick: Ticks): Loop | null {
  const range = loopRange(brief, end);
  if (!brief.loop || tick >= range.to) return null;
  return { from: secondsAt(tempo, range.from), to: secondsAt(tempo, range.to) };
}

/** Place of a punch-in or punch-out, by the time of its press on the rolling clock. */
export function punchAt(loop: Loop | null, { tempo }: SongMaps, at: Seconds): Ticks {
  const round = loop ? (loop.to - loop.from) * lapAt(loop, at) : 0;
  return Math.max(0, tickAt(tempo, at - round));
}

/** Place some bars on or back; going back from within a bar leads to its start first. */
export function barsFrom({ meter, end }: SongMaps, tick: Ticks, by: number): Ticks {
  const bar = by < 0 ? barAt(meter, tick - 1) + by + 1 : barAt(meter, tick) + by;
  return Math.max(0, Math.min(end - 1, barStart(meter, bar)));
}
