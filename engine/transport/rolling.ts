import type { Part } from '../../core/document/part';
import type { SongDocument } from '../../core/document/document';
import type { SongMaps } from '../../core/document/maps';
import { roundBeats } from '../../core/recording/count';
import { inPass, type PassState } from '../../core/recording/state';
import { lineUnderPass } from '../../core/recording/underpass';
import type { Seconds } from '../../core/time/units';
import type { Scheduled } from '../instrument/schedule';
import type { Anchor } from './anchor';
import { clickPlan, countStrokes, programOf, type Voice } from './program';
import { anchorOf, type Stretch } from './stretches';

export interface RollingFacts {
  readonly song: SongDocument;
  readonly maps: SongMaps;
  readonly anchor: Anchor;
  readonly state: PassState;
  /** Where the rolling clock is. */
  readonly now: Seconds;
  readonly stretches: readonly Stretch[];
  /** Each part's channel and line. */
  readonly parts: readonly { readonly part: Part; readonly voice: Voice }[];
  /** What plays along: MIDI backings and rhythms. */
  readonly others: readonly Voice[];
  /** How far a count that goes round is laid out ahead. */
  readonly until: Seconds;
}

/** Everything that is to sound in some stretches, as things stand. */
export function rollingProgram(facts: RollingFacts): Scheduled[] {
  const { song, maps, anchor, state, now, stretches, parts, others, until } = facts;
  const plan = inPass(state) ? state.plan : null;
  const click = clickPlan(song.click, plan !== null);
  const voicesIn = (stretch: Stretch): Voice[] => [
    ...parts.map(({ part, voice }) =>
      plan ? { ...voice, line: lineUnderPass(state, plan, part, voice.line, stretch.at, now) } : voice,
    ),
    ...others,
  ];
  const events: Scheduled[] = [];
  if (state.phase === 'counting' || state.phase === 'waiting')
    events.push(
      ...countStrokes(
        plan!.count.beats.filter((b) => b.at >= now),
        anchor,
        click,
      ),
    );
  if (state.phase === 'waiting') {
    // No music yet: the count goes round until a note comes.
    events.push(
      ...countStrokes(
        roundBeats(plan!.round.beats, plan!.round.bar, until).filter((b) => b.at >= now),
        anchor,
        click,
      ),
    );
    return events;
  }
  let before: Voice[] | undefined;
  for (const stretch of stretches) {
    const voices = voicesIn(stretch);
    events.push(...programOf(maps, anchorOf(anchor, stretch), stretch, voices, click, before));
    before = voices;
  }
  return events;
}
