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
  /** Rolling clock. */
  readonly now: Seconds;
  readonly spans: readonly Span[];
  /** Each part's channel and line. */
  readonly parts: readonly { readonly part: Part; readonly voice: PartOnChannel }[];
  /** Parts that play along: MIDI backings and rhythms. */
  readonly others: readonly PartOnChannel[];
  /** Time up to which a count that goes round is laid out. */
  readonly until: Seconds;
}

/** Everything that is to sound in some spans, as things stand. */
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
  let before: PartOnChannel[] | undefined;
  for (const span of spans) {
    const voices = voicesIn(span);
    for (const event of programOf(maps, anchorOf(anchor, span), span, voices, click, before)) events.push(event);
    before = voices;
  }
  return events;
}
