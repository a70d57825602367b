import { songAt } from '../recording/state';
import { barAt, type MeterMap } from '../time/meter';
import { tempoMap, tickAt } from '../time/tempo';
import type { Milliseconds } from '../time/units';
import type { Passage } from './buffer';

const MINUTE: Milliseconds = 60_000;
const HOUR = 60 * MINUTE;

/** "12 s ago", "4 min ago", "2 h ago". @param now in milliseconds since 1970 */
export function agoWords({ events }: Passage, now: Milliseconds): string {
  const ago = Math.max(0, now - events.at(-1)!.wall);
  if (ago < MINUTE) return `${Math.round(ago / 1000)} s ago`;
  if (ago < 1.5 * HOUR) return `${Math.round(ago / MINUTE)} min ago`;
  return `${Math.round(ago / HOUR)} h ago`;
}

/** "bars 5–8, in a loop", or "nothing rolling, 12 s". */
export function whereWords({ events, roll }: Passage, meter: MeterMap): string {
  if (!roll) {
    const length = events.at(-1)!.wall - events[0]!.wall;
    return `nothing rolling, ${Math.max(1, Math.round(length / 1000))} s`;
  }
  const map = tempoMap(roll.tempo);
  const struck = events.filter((e) => e.message.type === 'noteOn');
  const bars = struck.map((e) => barAt(meter, tickAt(map, songAt(roll.loop, e.place!.at))));
  const [first, last] = [Math.min(...bars), Math.max(...bars)];
  return `${first === last ? `bar ${first}` : `bars ${first}–${last}`}${roll.loop ? ', in a loop' : ''}`;
}
