import type { Part } from '../document/part';
import { fingerprint, type Join } from '../document/take';
import type { Note, Reading } from '../performance/notes';
import { keyName } from '../performance/messages';
import { firstAt } from '../performance/controls';
import { AS_IT_FALLS, atPlaces, doubtfulNotes, firstFrom, isClean, type AtPlace, type JoinChoice } from '../takes/join';
import type { Pick as CompPick } from '../takes/line';
import { barAt, barStart, meterAt, positionAt, type MeterMap } from '../time/meter';
import { secondsAt, type TempoMap } from '../time/tempo';
import { nearestGridPoint } from '../timing/grid';
import type { Milliseconds, Ticks } from '../time/units';

/** Audible finding at a join. */
export type Finding =
  /** Keys that the take before holds across it. */
  | { readonly kind: 'held'; readonly keys: readonly number[]; readonly both: boolean }
  /** The pedal is down on one side. */
  | { readonly kind: 'pedal'; readonly before: boolean }
  /** Notes that both takes sound, or neither. */
  | { readonly kind: 'double' | 'lost'; readonly keys: readonly number[] }
  /** Difference in velocity between the takes; positive is louder after it. */
  | { readonly kind: 'level'; readonly by: number }
  /** Difference in lateness, in milliseconds; positive is later after it. */
  | { readonly kind: 'lie'; readonly by: Milliseconds };

export interface JoinState {
  readonly at: Ticks;
  readonly before: string;
  readonly after: string;
  readonly findings: readonly Finding[];
  /** Findings without a repair, which need a look. */
  readonly open: readonly Finding[];
  readonly choice: JoinChoice;
  readonly state: 'clean' | 'mended' | 'passed' | 'open';
  /** Fingerprint of its surroundings: it changes when something near it does. */
  readonly fingerprint: string;
}

/** Least number of notes on either side for comparing a bar. */
const FEWEST_NOTES = 3;
const LOUDER = 20;
const LIES_OFF: Milliseconds = 28;

const middle = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

/** Notes that begin within a bar before or after a place. */
const barOf = (notes: readonly Note[], from: Ticks, to: Ticks): readonly Note[] =>
  notes.slice(firstFrom(notes, from), firstFrom(notes, to));

function lieOf(notes: readonly Note[], tempo: TempoMap, meter: MeterMap): Milliseconds {
  const off = ({ start }: Note) =>
    (secondsAt(tempo, start) - secondsAt(tempo, nearestGridPoint('16 straight', meter, start))) * 1000;
  return middle(notes.map(off));
}

/** Both takes of a join, with their states there. */
interface Sides {
  readonly before: Reading;
  readonly after: Reading;
  readonly atEnd: AtPlace;
  readonly atStart: AtPlace;
}

/** Findings at a join. */
function findingsAt(
  { before, after, atEnd: a, atStart: b }: Sides,
  at: Ticks,
  tempo: TempoMap,
  meter: MeterMap,
): Finding[] {
  const findings: Finding[] = [];
  if (a.held.length > 0) {
    const keys = a.held.map((n) => n.key);
    findings.push({ kind: 'held', keys, both: keys.every((key) => b.held.some((n) => n.key === key)) });
  } else if (b.held.length > 0) findings.push({ kind: 'held', keys: b.held.map((n) => n.key), both: false });
  if (a.pedal !== b.pedal) findings.push({ kind: 'pedal', before: a.pedal });
  const { double, lost } = doubtfulNotes(a, b, at);
  if (double.length > 0) findings.push({ kind: 'double', keys: double.map((d) => d.before.key) });
  if (lost.length > 0) findings.push({ kind: 'lost', keys: lost.map((d) => d.after.key) });
  const length = meterAt(meter, at).ticksPerBar;
  const [ahead, behind] = [barOf(before.notes, at - length, at), barOf(after.notes, at, at + length)];
  if (ahead.length < FEWEST_NOTES || behind.length < FEWEST_NOTES) return findings;
  const level = middle(behind.map((n) => n.velocity)) - middle(ahead.map((n) => n.velocity));
  // A change that the take before has too belongs to the music.
  const own = barOf(before.notes, at, at + length);
  const ownLevel = own.length >= FEWEST_NOTES ? middle(own.map((n) => n.velocity)) : null;
  const meant = ownLevel === null ? 0 : ownLevel - middle(ahead.map((n) => n.velocity));
  if (Math.abs(level - meant) >= LOUDER) findings.push({ kind: 'level', by: level - meant });
  const lie = lieOf(behind, tempo, meter) - lieOf(ahead, tempo, meter);
  if (Math.abs(lie) >= LIES_OFF) findings.push({ kind: 'lie', by: lie });
  return findings;
}

/** Repairs that lose nothing, which are made at once. */
function safeChoice({ atEnd: a, atStart: b }: Sides, at: Ticks): JoinChoice {
  const { double, lost } = doubtfulNotes(a, b, at);
  const both = a.held.length > 0 && a.held.every((n) => b.held.some((m) => m.key === n.key));
  return {
    ...AS_IT_FALLS,
    held: both ? 'take over' : 'cut',
    drop: double.map((d) => d.before.id),
    keep: lost.map((d) => d.after.id),
  };
}

const isMended = (finding: Finding, { held, lift, drop, keep }: JoinChoice): boolean => {
  switch (finding.kind) {
    case 'held':
      return held === 'ring' || (held === 'take over' && finding.both) || lift;
    case 'pedal':
      return lift || !finding.before;
    case 'double':
      return drop.length >= finding.keys.length;
    case 'lost':
      return keep.length >= finding.keys.length;
    default:
      return false;
  }
};

/** Function that reads a part's takes; a missing one reads as silence. */
export type ReadingOf = (takeId: string) => Reading;

/** Fingerprint of everything within a beat of a join. */
function fingerprintOf({ before, after, atEnd, atStart }: Sides, at: Ticks, choice: JoinChoice): string {
  const near = ({ notes, controls }: Reading, { down }: AtPlace) => {
    const begin = firstFrom(notes, at - BEAT);
    // Notes that ring into that beat are down at the place, or end within the beat.
    const ringing = down.filter((n) => n.start < at - BEAT);
    const own = [...ringing, ...notes.slice(begin, firstFrom(notes, at + BEAT))].filter((n) => n.end > at - BEAT);
    const moves = controls.slice(firstAt(controls, at - BEAT), firstAt(controls, at + BEAT));
    return [
      own.map((n) => [n.id, Math.round(n.start), n.velocity]),
      moves.filter((c) => c.at > at - BEAT).map((c) => [Math.round(c.at), c.message.value]),
    ];
  };
  const { held, lift, drop, keep } = choice;
  return fingerprint(JSON.stringify([at, near(before, atEnd), near(after, atStart), held, lift, drop, keep]));
}
const BEAT: Ticks = 960;

/** Join of a comp, with the states of its takes. */
interface JoinPlace extends Sides {
  readonly at: Ticks;
  readonly from: string;
  readonly to: string;
}

/** Joins of a comp with both sides. Each take is walked once. */
function joinPlaces(comp: readonly CompPick[], read: ReadingOf): JoinPlace[] {
  const joins = comp.flatMap((before, i) => {
    const after = comp[i + 1];
    return meets(before, after) && before.takeId !== after.takeId
      ? [{ at: before.to, from: before.takeId, to: after.takeId }]
      : [];
  });
  const readings = new Map<string, Reading>();
  const there = new Map<string, Map<Ticks, AtPlace>>();
  for (const take of new Set(joins.flatMap((j) => [j.from, j.to]))) {
    const reading = read(take);
    const places = joins.filter((j) => j.from === take || j.to === take).map((j) => j.at);
    const found = atPlaces(reading, places);
    readings.set(take, reading);
    there.set(take, new Map(places.map((at, i) => [at, found[i]!])));
  }
  return joins.map(({ at, from, to }) => ({
    ...{ at, from, to, before: readings.get(from)!, after: readings.get(to)! },
    ...{ atEnd: there.get(from)!.get(at)!, atStart: there.get(to)!.get(at)! },
  }));
}

const meets = (before: CompPick, after: CompPick | undefined): after is CompPick =>
  after !== undefined && after.from === before.to;

/** Joins of a part's comp, in time order. */
export function joinsOf(
  { comp, joins }: Pick<Part, 'comp' | 'joins'>,
  read: ReadingOf,
  tempo: TempoMap,
  meter: MeterMap,
): JoinState[] {
  const known = new Map(joins.map((j) => [nameOf(j), j]));
  return joinPlaces(comp, read).map((place): JoinState => {
    const { at, from: before, to: after } = place;
    const stored = known.get(nameOf({ at, before, after }));
    const choice: JoinChoice = stored ?? AS_IT_FALLS;
    const findings = findingsAt(place, at, tempo, meter);
    const open = findings.filter((f) => !isMended(f, choice));
    const fingerprint = fingerprintOf(place, at, choice);
    const judged = stored?.passed === fingerprint ? 'passed' : 'open';
    const ok = findings.length === 0 ? 'clean' : 'mended';
    const state = open.length === 0 ? ok : judged;
    return { at, before, after, findings, open, choice, state, fingerprint };
  });
}

const nameOf = ({ at, before, after }: Pick<Join, 'at' | 'before' | 'after'>): string => `${at} ${before} ${after}`;

/** Choices for joins of a comp that the part has none for yet. */
export function safeJoins(comp: readonly CompPick[], known: readonly Join[], read: ReadingOf): Join[] {
  const there = new Set(known.map(nameOf));
  return joinPlaces(comp, read).flatMap((place): Join[] => {
    const own = { at: place.at, before: place.from, after: place.to };
    if (there.has(nameOf(own))) return [];
    const choice = safeChoice(place, place.at);
    const nothing = choice.held === 'cut' && choice.drop.length + choice.keep.length === 0;
    return nothing ? [] : [{ ...own, ...choice, passed: null }];
  });
}

/** Half beats within a bar of a place, the nearest first. */
function placesAround(at: Ticks, meter: MeterMap): Ticks[] {
  const bar = barAt(meter, at);
  const { ticksPerBeat } = meterAt(meter, at);
  const step = ticksPerBeat / 2;
  const [from, to] = [Math.max(0, barStart(meter, bar - 1)), barStart(meter, bar + 2)];
  const places: Ticks[] = [];
  for (let place = from; place <= to; place += step) places.push(place);
  return places.sort((a, b) => Math.abs(a - at) - Math.abs(b - at));
}

/** Nearest place within a bar where nothing is cut or doubled by changing takes; undefined where there is none. */
export function cleanPlace(
  before: Reading,
  after: Reading,
  at: Ticks,
  within: { readonly from: Ticks; readonly to: Ticks },
  meter: MeterMap,
): Ticks | undefined {
  const length = meterAt(meter, at).ticksPerBar;
  const places = placesAround(at, meter).filter((p) => p > within.from && p < within.to && Math.abs(p - at) <= length);
  const rising = [...places].sort((a, b) => a - b);
  const [a, b] = [atPlaces(before, rising), atPlaces(after, rising)];
  const clean = new Set(rising.filter((p, i) => isClean(a[i]!, b[i]!, p)));
  return places.find((p) => clean.has(p));
}

const names = (keys: readonly number[]): string => {
  const all = [...new Set(keys)].map(keyName);
  return all.length > 3 ? `${all.length} notes` : all.join(', ');
};

/** Words for a finding. */
export function findingWords(finding: Finding): string {
  switch (finding.kind) {
    case 'held':
      return finding.both ? `${names(finding.keys)} held in both takes` : `${names(finding.keys)} held over it`;
    case 'pedal':
      return finding.before ? 'the pedal is down before it only' : 'the pedal is down after it only';
    case 'double':
      return `${names(finding.keys)} played by both takes`;
    case 'lost':
      return `${names(finding.keys)} played by neither take`;
    case 'level':
      return finding.by > 0 ? `louder from here, by ${finding.by}` : `softer from here, by ${-finding.by}`;
    case 'lie': {
      const ms = Math.round(Math.abs(finding.by));
      return `${ms} ms ${finding.by > 0 ? 'later' : 'earlier'} against the beat`;
    }
  }
}

/** "bar 19", or "19 · 3" inside a bar. */
export function placeWords(at: Ticks, meter: MeterMap): string {
  const { bar, beat, tick } = positionAt(meter, at);
  if (beat === 1 && tick === 0) return `bar ${bar}`;
  return `${bar} · ${beat}${tick ? ` + ${Math.round(tick)}` : ''}`;
}
