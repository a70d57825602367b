import { XMLParser } from 'fast-xml-parser';
import type { MeterChange } from '../time/meter';
import { TICKS_PER_QUARTER, type Bpm, type Ticks } from '../time/units';
import type { SongKey } from '../vocabulary/key';
import { BEAT_UNITS, MOST_BARS, MOST_BEATS } from '../vocabulary/limits';
import { DamagedFile } from './damaged';

/** Form of a song in a score, without its notes. */
export interface ScoreForm {
  readonly title: string;
  readonly key: SongKey | null;
  readonly meter: readonly MeterChange[];
  readonly tempo: readonly { readonly tick: Ticks; readonly bpm: Bpm }[];
  /** Rehearsal marks, by their bar from 1. */
  readonly marks: readonly { readonly bar: number; readonly text: string }[];
  readonly bars: number;
  /** Chord symbols by bar, with a dot for each beat that one is held. */
  readonly chords: readonly { readonly bar: number; readonly signs: string }[];
  /** Skipped features of the score, in words. */
  readonly left: readonly string[];
}

/** Element with its children in order, in the parser's form with `preserveOrder`. */
type Node = Readonly<Record<string, unknown>>;
const parser = new XMLParser({
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '',
  parseTagValue: false,
  // Entities defined in the file could expand without end.
  processEntities: false,
});

const nameOf = (node: Node): string => Object.keys(node).find((k) => k !== ':@') ?? '';
const childrenOf = (node: Node): readonly Node[] => (node[nameOf(node)] as readonly Node[] | undefined) ?? [];
const all = (nodes: readonly Node[], name: string): Node[] => nodes.filter((n) => name in n);
const first = (nodes: readonly Node[], name: string): Node | undefined => nodes.find((n) => name in n);
const inside = (node: Node | undefined, name: string): Node | undefined => node && first(childrenOf(node), name);
const attribute = (node: Node, name: string): string | undefined =>
  (node[':@'] as Record<string, string> | undefined)?.[name];
const textOf = (node: Node | undefined): string =>
  node === undefined
    ? ''
    : childrenOf(node)
        .map((c) => ('#text' in c ? String(c['#text']) : textOf(c)))
        .join('')
        .trim();
const numberOf = (node: Node | undefined): number => Number(textOf(node) || Number.NaN);

/** Quarters in a beat unit. */
const UNITS: Readonly<Record<string, number>> = { whole: 4, half: 2, quarter: 1, eighth: 0.5, '16th': 0.25 };

interface Bar {
  readonly length: Ticks;
  readonly meter: Pick<MeterChange, 'beats' | 'unit'>;
  readonly tempo: readonly { readonly at: Ticks; readonly bpm: Bpm }[];
  readonly mark: string;
  readonly chords: readonly { readonly at: Ticks; readonly text: string }[];
  readonly begins: boolean;
  /** Number of times that it is played; 1 without a repeat. */
  readonly times: number;
  /** Passes in which it is played; empty for all. */
  readonly endings: readonly number[];
  readonly endingStops: boolean;
}

function tempoOf(direction: Node): Bpm | undefined {
  const children = childrenOf(direction);
  const said = Number(attribute(first(children, 'sound') ?? {}, 'tempo') ?? Number.NaN);
  if (said > 0) return said;
  for (const type of all(children, 'direction-type')) {
    const mark = inside(type, 'metronome');
    if (!mark) continue;
    const unit = UNITS[textOf(inside(mark, 'beat-unit'))];
    const dots = all(childrenOf(mark), 'beat-unit-dot').length;
    const bpm = Number.parseFloat(textOf(inside(mark, 'per-minute')));
    if (unit && bpm > 0) return bpm * unit * (2 - 0.5 ** dots);
  }
  return undefined;
}

/** Suffix of a chord's kind, where the score has no text for it. */
const KINDS: Readonly<Record<string, string>> = {
  ...{ major: '', minor: 'm', dominant: '7', 'major-seventh': 'maj7', 'minor-seventh': 'm7', diminished: 'dim' },
  ...{ augmented: 'aug', 'half-diminished': 'm7b5', 'diminished-seventh': 'dim7', 'augmented-seventh': 'aug7' },
  ...{
    'major-minor': 'm(maj7)',
    'major-sixth': '6',
    'minor-sixth': 'm6',
    'dominant-ninth': '9',
    'major-ninth': 'maj9',
  },
  ...{ 'minor-ninth': 'm9', 'dominant-11th': '11', 'minor-11th': 'm11', 'dominant-13th': '13', 'minor-13th': 'm13' },
  ...{ 'suspended-second': 'sus2', 'suspended-fourth': 'sus4', power: '5' },
};
const sharps = (alter: number): string => (alter < 0 ? 'b'.repeat(-alter) : '#'.repeat(alter || 0));
/** Harmony as a chord symbol, such as "Bbmaj7/D"; empty without a root. */
function symbolOf(harmony: readonly Node[]): string {
  const noteOf = (name: string): string => {
    const node = first(harmony, name);
    return textOf(inside(node, `${name}-step`)) + sharps(numberOf(inside(node, `${name}-alter`)) || 0);
  };
  const kind = first(harmony, 'kind');
  if (textOf(kind) === 'none') return 'N.C.';
  const root = noteOf('root');
  if (!root) return '';
  const degrees = all(harmony, 'degree').map((degree) => {
    const value = sharps(numberOf(inside(degree, 'degree-alter')) || 0) + textOf(inside(degree, 'degree-value'));
    return textOf(inside(degree, 'degree-type')) === 'subtract' ? `(no${value})` : `(${value})`;
  });
  const bass = noteOf('bass');
  const own = (kind && attribute(kind, 'text')) ?? KINDS[textOf(kind)] ?? textOf(kind);
  return `${root}${own}${degrees.join('')}${bass ? `/${bass}` : ''}`.replace(/\s+/g, '');
}

/** Symbols of a bar on its beats, or half beats where needed: "Am7 . D7 .". */
function signsOf({ chords, length }: Pick<Bar, 'chords' | 'length'>, beats: number): string {
  const on = (places: number): string[] => {
    const signs = Array.from({ length: places }, () => '.');
    for (const { at, text } of chords)
      signs[Math.max(0, Math.min(places - 1, Math.floor((at * places) / length)))] = text;
    return signs;
  };
  const signs = on(beats);
  const all = signs.filter((sign) => sign !== '.').length < chords.length ? on(2 * beats) : signs;
  return all.slice(1).every((sign) => sign === '.') ? all[0]! : all.join(' ');
}

/** Most passes of a repeat. */
const MOST_PASSES = 16;

/** State of a part's reading: the form as of some bar, and that bar so far. */
interface PartReading {
  /** Parts of a quarter note in which durations are counted. */
  divisions: number;
  meter: Pick<MeterChange, 'beats' | 'unit'>;
  key: SongKey | null;
  jumps: boolean;
  /** Passes of the ending that is open. */
  ending: readonly number[];
  /** Place in the bar in divisions, and the farthest so far. */
  at: number;
  most: number;
  bar: {
    begins: boolean;
    times: number;
    endingStops: boolean;
    mark: string;
    tempo: { at: Ticks; bpm: Bpm }[];
    chords: { at: Ticks; text: string }[];
  };
}

const newBar = (): PartReading['bar'] => ({
  ...{ begins: false, times: 1, endingStops: false, mark: '' },
  ...{ tempo: [], chords: [] },
});
const ticksIn = (part: PartReading, duration: number): Ticks =>
  Math.round((duration / part.divisions) * TICKS_PER_QUARTER);
const durationOf = (children: readonly Node[]): number => numberOf(first(children, 'duration')) || 0;

function readMeter(part: PartReading, time: Node | undefined): void {
  // 3+2/8 is counted as five eighths.
  const beats = textOf(inside(time, 'beats'))
    .split('+')
    .reduce((sum, b) => sum + Number(b), 0);
  const unit = numberOf(inside(time, 'beat-type'));
  if (time && beats > 0 && beats <= MOST_BEATS && BEAT_UNITS.includes(unit)) part.meter = { beats, unit };
}

function readKey(part: PartReading, signature: Node | undefined): void {
  const fifths = numberOf(inside(signature, 'fifths'));
  if (part.key || !(Math.abs(fifths) <= 7)) return;
  part.key = { fifths, minor: textOf(inside(signature, 'mode')).toLowerCase() === 'minor' };
}

const JUMPS = ['dacapo', 'dalsegno', 'tocoda', 'fine'];
/** Reads a sound of its own, or one in a direction. */
function readSound(part: PartReading, sound: Node | undefined, bpm: Bpm | undefined): void {
  if (bpm !== undefined && bpm > 0) part.bar.tempo.push({ at: ticksIn(part, part.at), bpm });
  if (sound && JUMPS.some((jump) => attribute(sound, jump) !== undefined)) part.jumps = true;
}

function readRepeat({ bar }: PartReading, repeat: Node | undefined): void {
  const direction = repeat && attribute(repeat, 'direction');
  if (direction === 'forward') bar.begins = true;
  if (repeat && direction === 'backward')
    bar.times = Math.min(MOST_PASSES, Math.max(2, Number(attribute(repeat, 'times') ?? 2)));
}

function readEnding(part: PartReading, ending: Node | undefined): void {
  if (ending && attribute(ending, 'type') === 'start')
    part.ending = (attribute(ending, 'number') ?? '')
      .split(/[ ,]+/)
      .map(Number)
      .filter((n) => n > 0 && n <= MOST_PASSES);
  else if (ending) part.bar.endingStops = true;
}

/** Readers of a bar's elements; others say nothing of the form. */
const READERS: Readonly<Record<string, (part: PartReading, children: readonly Node[], node: Node) => void>> = {
  attributes: (part, children) => {
    part.divisions = numberOf(first(children, 'divisions')) || part.divisions;
    readMeter(part, first(children, 'time'));
    readKey(part, first(children, 'key'));
  },
  note: (part, children) => {
    if (!first(children, 'chord') && !first(children, 'grace')) part.at += durationOf(children);
  },
  backup: (part, children) => {
    part.at = Math.max(0, part.at - durationOf(children));
  },
  forward: (part, children) => {
    part.at += durationOf(children);
  },
  harmony: (part, children) => {
    const text = symbolOf(children);
    const offset = numberOf(first(children, 'offset')) || 0;
    if (text) part.bar.chords.push({ at: ticksIn(part, part.at + offset), text });
  },
  sound: (part, _, node) => readSound(part, node, Number(attribute(node, 'tempo') ?? Number.NaN)),
  direction: (part, children, node) => {
    readSound(part, first(children, 'sound'), tempoOf(node));
    for (const type of all(children, 'direction-type')) part.bar.mark ||= textOf(inside(type, 'rehearsal'));
  },
  barline: (part, children) => {
    readRepeat(part, first(children, 'repeat'));
    readEnding(part, first(children, 'ending'));
  },
};

/** Reads the bars of one part as written. */
function barsOf(part: Node): { bars: Bar[]; key: SongKey | null; jumps: boolean } {
  const reading: PartReading = {
    ...{ divisions: 1, meter: { beats: 4, unit: 4 }, key: null, jumps: false, ending: [] },
    ...{ at: 0, most: 0, bar: newBar() },
  };
  const bars = all(childrenOf(part), 'measure').map((measure): Bar => {
    Object.assign(reading, { at: 0, most: 0, bar: newBar() });
    for (const node of childrenOf(measure)) {
      READERS[nameOf(node)]?.(reading, childrenOf(node), node);
      reading.most = Math.max(reading.most, reading.at);
    }
    const { meter, most, bar, ending: endings } = reading;
    const whole = (meter.beats * 4 * TICKS_PER_QUARTER) / meter.unit;
    const pickUp = attribute(measure, 'implicit') === 'yes' && most > 0;
    if (bar.endingStops) reading.ending = [];
    return { ...bar, length: pickUp ? Math.min(whole, ticksIn(reading, most)) : whole, meter, endings };
  });
  return { bars, key: reading.key, jumps: reading.jumps };
}

/** Bars in the order in which they are played, with repeats and endings played out. */
function unrolled(bars: readonly Bar[]): Bar[] {
  const played: Bar[] = [];
  let from = 0;
  let pass = 1;
  for (let i = 0; i < bars.length; i += 1) {
    const bar = bars[i]!;
    if (bar.begins && from !== i) [from, pass] = [i, 1];
    if (bar.endings.length > 0 && !bar.endings.includes(pass)) continue;
    played.push(bar);
    if (played.length > MOST_BARS) throw new DamagedFile(`The score is longer than ${MOST_BARS} bars.`);
    // Endings for several passes, and repeats of several times, are played as often.
    const often = bar.times > 1 ? bar.endings.reduce((most, n) => Math.max(most, n + 1), bar.times) : bar.times;
    if (bar.times > 1 && pass < often) {
      pass += 1;
      i = from - 1;
    } else if (bar.times > 1) [from, pass] = [i + 1, 1];
    else if (bar.endingStops) [from, pass] = [i + 1, 1];
  }
  return played;
}

/** Simplest meter of a bar's length: a pick-up of a quarter and a half is 3/8. */
function meterOf(length: Ticks): Pick<MeterChange, 'beats' | 'unit'> {
  for (const unit of BEAT_UNITS) {
    const beats = (length * unit) / (4 * TICKS_PER_QUARTER);
    if (Number.isInteger(beats) && beats >= 1 && beats <= MOST_BEATS) return { beats, unit };
  }
  return { beats: Math.max(1, Math.round((length * 32) / (4 * TICKS_PER_QUARTER))), unit: 32 };
}

/**
 * Reads a MusicXML score (partwise, not compressed) for its form: meter, tempo, key, chord symbols and rehearsal marks
 * of its first part, repeats played out.
 * @throws DamagedFile with the reason
 */
export function readMusicXml(text: string): ScoreForm {
  if (text.startsWith('PK'))
    throw new DamagedFile('The score is compressed (MXL). Save it as plain MusicXML, and bring that in.');
  let nodes: readonly Node[];
  try {
    nodes = parser.parse(text) as readonly Node[];
  } catch {
    throw new DamagedFile('The score is no XML that can be read, or it is cut short.');
  }
  if (first(nodes, 'score-timewise'))
    throw new DamagedFile('The score is laid out by measures (timewise). Save it by parts, as most programs do.');
  const score = first(nodes, 'score-partwise');
  if (!score) throw new DamagedFile('This XML is no MusicXML score.');
  const part = inside(score, 'part');
  const { bars: written, key, jumps } = part ? barsOf(part) : { bars: [], key: null, jumps: false };
  if (written.length === 0) throw new DamagedFile('The score has no bars.');
  const bars = unrolled(written);
  const meter: MeterChange[] = [];
  const tempo: { tick: Ticks; bpm: Bpm }[] = [];
  const marks: { bar: number; text: string }[] = [];
  const chords: { bar: number; signs: string }[] = [];
  let tick: Ticks = 0;
  bars.forEach((bar, i) => {
    const counted = meterOf(bar.length);
    const own = bar.length === (bar.meter.beats * 4 * TICKS_PER_QUARTER) / bar.meter.unit ? bar.meter : counted;
    const last = meter.at(-1);
    if (last?.beats !== own.beats || last.unit !== own.unit) meter.push({ bar: i + 1, ...own });
    for (const { at, bpm } of bar.tempo) {
      const there = tick + Math.min(at, bar.length);
      if (tempo.at(-1)?.tick === there) tempo.pop();
      if (tempo.at(-1)?.bpm !== bpm) tempo.push({ tick: there, bpm });
    }
    if (bar.chords.length > 0) chords.push({ bar: i + 1, signs: signsOf(bar, own.beats) });
    if (bar.mark) marks.push({ bar: i + 1, text: bar.mark.slice(0, 60) });
    tick += bar.length;
  });
  if (tempo[0]?.tick !== 0) tempo.unshift({ tick: 0, bpm: tempo[0]?.bpm ?? 120 });
  const work = textOf(inside(inside(score, 'work'), 'work-title'));
  return {
    ...{ title: work || textOf(inside(score, 'movement-title')), key, meter, tempo, marks, chords, bars: bars.length },
    left: jumps ? ['jumps (da capo, segno, coda) are not followed'] : [],
  };
}
