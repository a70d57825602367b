import { patternHits } from '../../core/backing/patterns';
import { barAt, barStart, beatsBetween, meterAt, type Accent, type MeterMap } from '../../core/time/meter';
import { secondsAt, tickAt } from '../../core/time/tempo';
import { TICK_TOLERANCE, type Seconds, type Ticks } from '../../core/time/units';
import type { CountBeat } from '../../core/recording/count';
import { SUSTAIN } from '../../core/performance/messages';
import { valuesBefore, restore } from '../../core/performance/controls';
import { byStart, eventsFromReading, type Note, type Reading } from '../../core/performance/notes';
import { sectionsOf, type SongMaps } from '../../core/document/maps';
import type { SongDocument } from '../../core/document/document';
import type { ClickStroke, Scheduled } from '../instrument/schedule';
import { contextTime, type Anchor } from './anchor';

export interface PartOnChannel {
  readonly channel: number;
  readonly line: Reading;
}

/** Click from the start of the music. */
export interface ClickPlan {
  /** True if it is heard in the count. */
  readonly counts: boolean;
  /** True if it is heard under the music. */
  readonly plays: boolean;
  readonly accent: boolean;
  /** Clicks in a beat. */
  readonly subdivision: number;
}

/** Lead of chased controllers over the first note. */
const AHEAD: Seconds = 0.002;
const DRUM_LENGTH: Ticks = 120;

/** Times at which the click is heard, by what is going on. */
export function clickPlan({ when, accent, subdivision }: SongDocument['click'], recording: boolean): ClickPlan {
  return {
    counts: when !== 'never',
    plays: when === 'always' || (when === 'recording' && recording),
    accent,
    subdivision,
  };
}

/** Rhythms of the sections as a line for the drum bank. */
export function rhythmOf(song: SongDocument, meter: MeterMap): Reading {
  const notes = sectionsOf(song, meter).flatMap(({ pattern, from, to, firstBar }) =>
    pattern
      ? patternHits(pattern, { from, to }, meter, firstBar).map((hit, i): Note => ({
          id: `rhythm ${firstBar} ${i}`,
          key: hit.key,
          velocity: hit.velocity,
          release: 64,
          start: hit.at,
          end: hit.at + DRUM_LENGTH,
        }))
      : [],
  );
  return { notes: notes.sort(byStart), controls: [] };
}

/** Clicks in [from, to), in song time. */
export function clickStrokes(
  meter: MeterMap,
  from: Ticks,
  to: Ticks,
  { accent, subdivision }: Pick<ClickPlan, 'accent' | 'subdivision'>,
): { tick: Ticks; stroke: ClickStroke }[] {
  const first = barStart(meter, barAt(meter, from));
  return beatsBetween(meter, first, to)
    .flatMap((beat) => {
      const step = meterAt(meter, beat.tick).ticksPerBeat / subdivision;
      return Array.from({ length: subdivision }, (_, i) => ({
        tick: beat.tick + i * step,
        stroke: i ? ('sub' as const) : strokeOf(beat.accent, accent),
      }));
    })
    .filter(({ tick }) => tick >= from && tick < to);
}

const strokeOf = (beat: Accent, accent: boolean): ClickStroke => (accent ? beat : 'beat');

/**
 * Everything the instrument has to sound in a span, on the audio clock. It is handed over whole: the audio thread
 * then needs nothing more from a page that may be busy or hidden.
 * @param span notes struck before it are only released, if they sound; controllers are set as they were left; what
 *   sounds at its end is ended there
 * @param before what the controllers hold when it begins, where another span leads into it
 */
export function programOf(
  maps: SongMaps,
  anchor: Anchor,
  span: { readonly from: Seconds; readonly to: Seconds },
  voices: readonly PartOnChannel[],
  click: ClickPlan,
  before?: readonly PartOnChannel[],
): Scheduled[] {
  const start = tickAt(maps.tempo, span.from);
  const end = tickAt(maps.tempo, span.to);
  const at = (tick: number) => contextTime(anchor, secondsAt(maps.tempo, tick));
  const until = at(end);
  const events: Scheduled[] = [];
  voices.forEach(({ channel, line }, i) => {
    const left = before
      ? valuesBefore(before[i]!.line.controls, end)
      : new Map([[`control ${SUSTAIN}`, PEDAL_UNKNOWN]]);
    const sounding = line.notes.filter((n) => n.end > start && n.start < end);
    for (const { message } of restore(left, valuesBefore(line.controls, start), start))
      events.push({ at: at(start) - AHEAD, channel, message });
    const controls = line.controls.filter((c) => c.at >= start && c.at < end);
    for (const e of eventsFromReading({ notes: sounding, controls }))
      if (e.message.type !== 'noteOn' || e.at >= start)
        events.push({ at: Math.min(until, at(e.at)), channel, message: e.message });
  });
  if (click.plays) {
    // A beat that rounding puts just before the start is the first beat.
    events.push(
      ...clickStrokes(maps.meter, Math.ceil(start - TICK_TOLERANCE), end - TICK_TOLERANCE, click).map(
        ({ tick, stroke }): Scheduled => ({
          at: at(tick),
          click: stroke,
        }),
      ),
    );
  }
  return events;
}

/** The pedal is set to the line's value, whatever it was. */
const PEDAL_UNKNOWN = { type: 'control', controller: SUSTAIN, value: -1 } as const;

/** Clicks of a count. */
export const countStrokes = (beats: readonly CountBeat[], anchor: Anchor, click: ClickPlan): Scheduled[] =>
  click.counts
    ? beats.map((b): Scheduled => ({ at: contextTime(anchor, b.at), click: strokeOf(b.accent, click.accent) }))
    : [];
