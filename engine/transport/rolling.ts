import type { Part } from '../../core/document/part';
import type { SongDocument } from '../../core/document/document';
import type { SongMaps } from '../../core/document/maps';
import { roundBeats } from '../../core/recording/count';
import { inPass, type PassState } from '../../core/recording/state';
import { lineUnderPass } from '../../core/recording/hearingWhileRecording';
import type { Seconds } from '../../core/time/units';
import type { Scheduled } from '../instrument/schedule';
import type { Anchor } from './anchor';
import { clickPlan, countStrokes, programOf, type PartOnChannel } from './program';
import { anchorOf, type Span } from './spans';

export interface RollingFacts {
  readonly song: SongDocument;
  readonly maps: SongMaps;
  readonly anchor: Anchor;
  readonly state: PassState;
  /** Time on the rolling clock. */
  readonly now: Seconds;
  readonly spans: readonly Span[];
  /** Channel and line of each part. */
  readonly parts: readonly { readonly part: Part; readonly voice: PartOnChannel }[];
  /** MIDI backings and rhythms, which play along. */
  readonly others: readonly PartOnChannel[];
  /** Time up to which a repeating count is scheduled. */
  readonly until: Seconds;
}

/** Schedule of everything that sounds in some spans. */
export function rollingProgram(facts: RollingFacts): Scheduled[] {
  const { song, maps, anchor, state, now, spans, parts, others, until } = facts;
  const plan = inPass(state) ? state.plan : null;
  const click = clickPlan(song.click, plan !== null);
  const voicesIn = (span: Span): PartOnChannel[] => [
    ...parts.map(({ part, voice }) =>
      plan ? { ...voice, line: lineUnderPass(state, plan, part, voice.line, span.at, now) } : voice,
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
    // During the wait there is no music; the count repeats until a note comes.
    events.push(
      ...countStrokes(
        roundBeats(plan!.round.beats, plan!.round.bar, until).filter((b) => b.at >= now),
        anchor,
        click,
      ),
    );
    return events;
  }
  let before: PartOnChannel[] | undefined;
  for (const span of spans) {
    const voices = voicesIn(span);
    for (const event of programOf(maps, anchorOf(anchor, span), span, voices, click, before)) events.push(event);
    before = voices;
  }
  return events;
}
