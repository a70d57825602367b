import type { Reading } from '../../core/performance/notes';
import { laneOf } from '../../core/performance/controls';
import { inPass, type PassPlan, type PassState } from '../../core/recording/state';
import { modeOf } from '../../core/recording/outcome';
import { silencedBy } from '../../core/recording/silenced';
import { eventsOf, type Voice as Listening, type Writing } from '../../core/recording/writing';
import { roundBeats } from '../../core/recording/count';
import type { Mode } from '../../core/vocabulary/modes';
import type { Part } from '../../core/document/part';
import type { SongDocument } from '../../core/document/document';
import type { SongMaps } from '../../core/document/maps';
import { readLayer } from '../../core/takes/layer';
import { clear, lay } from '../../core/takes/take';
import { tempoMap, tickAt } from '../../core/time/tempo';
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

const HAIR = 1e-6;

/** What a listening part has in a lap so far. */
export function readingSoFar(writing: Writing, voice: Listening, now: Seconds): Reading {
  const { header } = voice;
  const { planned } = header;
  const here = tickAt(tempoMap(header.tempo), Math.min(now, writing.endsAt) - writing.frame);
  const to = Math.max(planned.from, Math.min(planned.to, here));
  return readLayer(
    {
      header,
      events: eventsOf(writing, voice),
      closing: {
        range: { from: planned.from, to },
        clears: [],
        seam: { ...writing.seam, end: writing.ended !== null && writing.seam.end },
      },
    },
    header.placement,
  );
}

/** By which mode a part's line is heard while its laps are recorded. */
function heardBy(plan: PassPlan, { header }: Listening, begun: boolean): Mode {
  switch (header.laps) {
    case 'fresh, then build up':
      return begun ? 'merge' : 'new take';
    // What stands is heard until something is played over it.
    case 'play to overwrite':
      return 'replace from my first note';
    default:
      return modeOf(header, plan.mode);
  }
}

/** A part's line as it is heard in a stretch while the part is recorded over. */
function lineWhile(facts: RollingFacts, plan: PassPlan, part: Part, line: Reading, stretch: Stretch): Reading {
  const { state, now, maps } = facts;
  const listening = state.writing.flatMap((writing) =>
    writing.voices.filter((v) => v.header.partId === part.id).map((voice) => ({ writing, voice })),
  );
  const last = listening.findLast(({ writing }) => writing.passId === plan.passId);
  if (!last) return line;
  const { writing, voice } = last;
  const { header } = voice;
  const recordsHere = stretch.at < writing.endsAt - HAIR;
  // Laps that are over but not yet in a take, and for the laps to come the one under way.
  const builds = (plan.loop && modeOf(header, plan.mode) === 'merge') || header.laps === 'fresh, then build up';
  const pending = (builds ? listening : [])
    .filter(({ writing: w }) => w.passId === plan.passId && w.endsAt <= stretch.at + HAIR)
    .map(({ writing: w, voice: v }) => ({ reading: readingSoFar(w, v, now), range: v.header.planned }))
    .filter(({ reading }) => reading.notes.length > 0);
  const begun = part.takes.some((t) => t.id === header.takeId);
  if (header.ride)
    return modeOf(header, plan.mode) === 'merge'
      ? line
      : {
          ...line,
          controls: line.controls.filter(
            (c) => laneOf(c.message) !== header.ride || c.at < header.planned.from || c.at >= header.planned.to,
          ),
        };
  const own = recordsHere ? readingSoFar(writing, voice, now).notes : [];
  const mode = heardBy(plan, voice, begun);
  const silent = part.overLine
    ? []
    : silencedBy(mode, header.planned, own, tickAt(maps.tempo, Math.max(0, now - writing.frame)), header.gap ?? 0);
  return pending.reduce((under, { reading, range }) => lay(under, reading, range), clear(line, silent));
}

/** Everything that is to sound in some stretches, as things stand. */
export function rollingProgram(facts: RollingFacts): Scheduled[] {
  const { song, maps, anchor, state, now, stretches, parts, others, until } = facts;
  const plan = inPass(state) ? state.plan : null;
  const click = clickPlan(song.click, plan !== null);
  const voicesIn = (stretch: Stretch): Voice[] => [
    ...parts.map(({ part, voice }) =>
      plan ? { ...voice, line: lineWhile(facts, plan, part, voice.line, stretch) } : voice,
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
