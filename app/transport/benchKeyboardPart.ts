import { bytesFromMessage } from '~~/core/performance/messages';
import type { PassPlan } from '~~/core/recording/state';
import type { Part } from '~~/core/document/part';
import type { SongDocument } from '~~/core/document/document';
import type { SongMaps } from '~~/core/document/maps';
import { transpositionOf } from '~~/core/document/transposition';
import { keyBy, semitonesOf } from '~~/core/performance/transposition';
import { secondsAt } from '~~/core/time/tempo';
import type { Milliseconds, Seconds } from '~~/core/time/units';
import { HUMAN, perform } from '~~/demo/player';
import type { WrittenNote } from '~~/demo/writtenParts';
import { SHEETS, study } from '~~/demo/sheets';
import type { TimedMessage } from '~~/engine/keyboards/benchKeyboard';
import { contextTime, type Anchor } from '~~/engine/transport/anchor';

/** Facts about how the simulated Bench keyboard plays along with a pass. */
export interface BenchKeyboardFacts {
  readonly song: SongDocument;
  readonly maps: SongMaps;
  readonly part: Part;
  readonly plan: PassPlan;
  readonly anchor: Anchor;
  /** Output latency as the system reports it, by which the heard audio time is computed. */
  readonly output: Seconds;
  readonly looseness: Milliseconds;
  /** Real delay until the sound arrives. */
  readonly hearsLate: Milliseconds;
}

/**
 * Notes of the Bench keyboard in a pass, by the audio time that is heard at each. A player who hears the keyboard's own
 * sound plays when the click arrives; a player who hears this program plays ahead by the output latency, so that note
 * and click are heard together.
 * @param lap number of the lap; no two are played alike
 */
export function benchKeyboardPart(facts: BenchKeyboardFacts, lap: number): TimedMessage[] {
  const { song, maps, part, plan, anchor, output, looseness, hearsLate } = facts;
  const own = (part.sheet && SHEETS[part.sheet]?.()) || study(maps.meter, song.bars);
  // The keyboard reads the written part in the key that is set.
  const keys = transpositionOf(song.transposition, maps.meter);
  const inKey = (note: WrittenNote): WrittenNote => ({
    ...note,
    key: keyBy(note.key, semitonesOf(keys, { start: note.start, end: note.start + note.length })),
  });
  const written = keys.length > 0 ? { ...own, notes: own.notes.map(inKey) } : own;
  const exact = looseness === 0 ? { wrong: 0, missed: 0 } : {};
  const manner = { ...HUMAN, looseness, lean: looseness / 2, seed: 1 + part.takes.length + lap, ...exact };
  const ahead = part.placement.policy === 'played' ? -hearsLate / 1000 : output;
  const from = lap > 0 && plan.loop ? plan.loop.from : plan.range.from;
  const round = plan.loop ? secondsAt(maps.tempo, plan.range.to) - secondsAt(maps.tempo, plan.loop.from) : 0;
  return perform(written, maps.tempo, manner, { from, to: plan.range.to }).map((p) => ({
    at: contextTime(anchor, p.at + lap * round) - ahead,
    data: bytesFromMessage(p.message),
  }));
}
