import { bytesFromMessage } from '~~/core/performance/messages';
import type { PassPlan } from '~~/core/recording/state';
import type { Part } from '~~/core/document/part';
import type { SongDocument } from '~~/core/document/document';
import type { SongMaps } from '~~/core/document/maps';
import type { Milliseconds, Seconds } from '~~/core/time/units';
import { HUMAN, perform } from '~~/demo/player';
import { SHEETS, study } from '~~/demo/sheets';
import type { Strike } from '~~/engine/keyboards/bench';
import { contextTime, type Anchor } from '~~/engine/transport/anchor';

/**
 * What the Bench keyboard strikes in a pass, by the audio time *heard* at each strike. Whoever hears the
 * keyboard's own sound strikes when the click arrives; whoever hears this program's strikes ahead of it by the
 * way out, so that both are heard together; how long the way out really is makes no difference to them.
 * @param output the way out as the system states it, which the audio time heard is counted by
 * @param hearsLate how much later the sound really arrives
 */
export function benchPart(
  song: SongDocument,
  maps: SongMaps,
  part: Part,
  plan: PassPlan,
  anchor: Anchor,
  output: Seconds,
  looseness: Milliseconds,
  hearsLate: Milliseconds,
): Strike[] {
  const written = (part.sheet && SHEETS[part.sheet]?.()) || study(maps.meter, song.bars);
  const exact = looseness === 0 ? { wrong: 0, missed: 0 } : {};
  const manner = { ...HUMAN, looseness, lean: looseness / 2, seed: 1 + part.takes.length, ...exact };
  const ahead = part.placement.policy === 'played' ? -hearsLate / 1000 : output;
  return perform(written, maps.tempo, manner, plan.range).map((p) => ({
    at: contextTime(anchor, p.at) - ahead,
    data: bytesFromMessage(p.message),
  }));
}
