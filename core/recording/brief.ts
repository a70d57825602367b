import { many } from '../vocabulary/many';
import { keyName } from '../performance/messages';
import type { SongDocument } from '../document/document';
import { positionAt, type MeterMap } from '../time/meter';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';
import { rangeWords } from '../time/words';
import { extrasOf, recipeWords } from '../timing/words';
import type { Lane } from '../performance/controls';
import { keyInBar, transposedRanges, transpositionWords } from '../document/transposition';
import { keyWords, semitoneWords } from '../vocabulary/key';
import { hertzWords, tuningWords } from '../vocabulary/tuning';
import type { Mode, LapPolicy, Span } from '../vocabulary/modes';
import { listenersOf, type Listener } from './inputRoutes';
import { modeOf } from './outcome';
import { leadInStart, loopRange } from './plan';
import { recordedRange } from './settings';
import { soundingParts, withoutSound } from './partsWithSound';

export type BriefControl =
  | 'count'
  | 'wait'
  | 'lead-in'
  | 'speed'
  | 'key'
  | 'mode'
  | 'where'
  | 'laps'
  | 'part'
  | 'keyboard'
  | 'early'
  | 'lead-out'
  | 'placement'
  | 'sound'
  | 'quantize';

/** Phrase of the sentence. One with a control shows a setting and opens it. */
export interface Phrase {
  readonly text: string;
  readonly control?: BriefControl;
  /** Reason why the setting may surprise; the phrase is then marked. */
  readonly mark?: string;
}

export interface BriefFacts {
  readonly song: SongDocument;
  readonly meter: MeterMap;
  readonly end: Ticks;
  readonly playhead: Ticks;
  /** Ports that are switched on, by id, with words for what their settings leave out. */
  readonly keyboards: readonly { readonly id: string; readonly name: string; readonly leavesOut?: readonly string[] }[];
  /** Audio inputs that are plugged in, by device id or name; undefined where that is not known. */
  readonly inputs?: ReadonlySet<string>;
  /** Number of notes that the armed parts have where the pass will record. */
  readonly there?: number;
  /** True while the song plays: Record punches in at once. */
  readonly playing?: boolean;
}

/** Words for a place: "bar 5", or "5 · 3" within a bar. */
function placeWords(meter: MeterMap, tick: Ticks): string {
  const { bar, beat, tick: rest } = positionAt(meter, tick);
  return beat === 1 && Math.round(rest) === 0 ? `bar ${bar}` : `${bar} · ${beat}`;
}
/**
 * "the end of bar 20", or "20 · 3" in the middle of a bar: where recording ends, wherever that is said.
 * @example endWords(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 3840) // 'the end of bar 1'
 */
export function endWords(meter: MeterMap, tick: Ticks): string {
  const { bar, beat, tick: rest } = positionAt(meter, tick);
  return beat === 1 && Math.round(rest) === 0 ? `the end of bar ${bar - 1}` : `${bar} · ${beat}`;
}

function where({ song: { brief }, meter, playhead, end, playing }: BriefFacts): Phrase {
  const control = 'where' as const;
  const { range, punchIn, punchOut, loop } = brief;
  const beyond = range && punchIn && range.from >= end ? { mark: 'These bars are after the end of the song.' } : {};
  if (loop) {
    const round = loopRange(brief, end);
    return { text: rangeWords(round, meter), control, ...beyond };
  }
  if (range && punchIn && punchOut && !playing) return { text: rangeWords(range, meter), control, ...beyond };
  const from = range && punchIn && !playing ? range.from : playhead;
  const late = range && punchOut && range.to <= from;
  const to = range && punchOut && !late ? endWords(meter, range.to) : 'the end';
  const passedOver = late ? { mark: 'Out is before the start, so it is ignored.' } : beyond;
  const mark = from >= end ? { mark: 'The playhead is past the song’s end.' } : passedOver;
  return { text: `from ${playing ? 'where you press Record' : placeWords(meter, from)} to ${to}`, control, ...mark };
}

function keyboard({ song, keyboards }: BriefFacts): Phrase {
  const wanted = song.brief.keyboard;
  if (wanted === null) {
    return keyboards.length
      ? { text: 'any keyboard', control: 'keyboard' }
      : { text: 'no keyboard', control: 'keyboard', mark: 'No keyboard is on, so nothing can be recorded.' };
  }
  const found = keyboards.find((k) => k.id === wanted);
  return found
    ? { text: found.name, control: 'keyboard' }
    : { text: 'a keyboard that is away', control: 'keyboard', mark: 'The selected keyboard is switched off.' };
}

/** Phrases for the armed parts; those after the first name their keyboard and keys where these differ. */
function partPhrases({ song, keyboards }: BriefFacts): Phrase[] {
  const all = listenersOf(song);
  if (all.length === 0) return [{ text: 'no part', control: 'part', mark: 'No part is armed.' }];
  const keyboardName = (port: string | null): string => {
    if (port === null) return 'any keyboard';
    return keyboards.find((k) => k.id === port)?.name ?? 'a keyboard that is away';
  };
  const said = ({ part, route }: Listener, i: number): Phrase => {
    const keys = route.low > 0 || route.high < 127 ? `${keyName(route.low)} to ${keyName(route.high)}` : '';
    const from = i > 0 && route.keyboard !== song.brief.keyboard ? `on ${keyboardName(route.keyboard)}` : '';
    const words = [keys, from].filter(Boolean).join(' ');
    return {
      text: words ? `${part.name} (${words})` : part.name,
      control: 'part',
      ...(part.muted ? { mark: `${part.name} is muted: you will not hear it.` } : {}),
    };
  };
  return all.flatMap((listener, i) => [
    ...(i === 0 ? [] : [{ text: i === all.length - 1 ? ' and ' : ', ' }]),
    said(listener, i),
  ]);
}

function quantize({ song: { brief }, there = 0 }: BriefFacts): Phrase {
  const recipe = brief.quantize;
  if (!recipe) return { text: 'off', control: 'quantize' };
  const text = [recipeWords(recipe), ...extrasOf(recipe)].join(', ');
  if (brief.ride !== null)
    return {
      text,
      control: 'quantize',
      mark: 'Only a controller is recorded in this pass, so nothing is pulled to the grid.',
    };
  const own = modeOf(brief.loop ? { laps: brief.laps } : {}, brief.mode);
  const stays =
    there > 0 && own !== 'new take' && own !== 'replace' ? ' The notes already there are left as they are.' : '';
  return {
    text,
    control: 'quantize',
    mark: `What you play will be pulled to the grid.${stays} What you played is kept.`,
  };
}

const spanWords = ({ count: n, unit }: Span): string => many(n, unit.slice(0, -1));

function countAmount({ brief }: SongDocument): string {
  if (brief.countOffBeats !== null) return many(brief.countOffBeats, 'beat');
  return brief.countOffBars > 0 ? many(brief.countOffBars, 'bar') : '';
}

/** Phrases for the count-off. */
function count({ brief, click }: SongDocument): Phrase[] {
  const amount = countAmount({ brief } as SongDocument);
  const silent = click.when === 'never' && amount ? { mark: 'The click is off, so the count will be silent.' } : {};
  if (brief.wait !== 'no') {
    const waits: Phrase =
      brief.wait === 'start'
        ? { text: 'until my first note, which is the start', control: 'wait' }
        : { text: 'until my first note, which joins the count', control: 'wait' };
    return amount
      ? [{ text: 'Count ' }, { text: amount, control: 'count', ...silent }, { text: ', round and round, ' }, waits]
      : [{ text: 'Wait, ' }, { text: 'with no count', control: 'count' }, { text: ', ' }, waits];
  }
  return amount
    ? [{ text: 'Count ' }, { text: amount, control: 'count', ...silent }]
    : [{ text: 'Start ' }, { text: 'with no count', control: 'count' }];
}

/** Phrases for the lead-in, where there is music before the start. */
function leadIn({ song, meter, playhead, end }: BriefFacts): Phrase[] {
  const { brief } = song;
  if (brief.leadIn.count === 0 || !brief.leadInOn || brief.wait !== 'no') return [];
  const from = brief.loop ? loopRange(brief, end).from : recordedRange(brief, playhead, end).from;
  const start = leadInStart(song, meter, from);
  const none = start === from ? { mark: 'There is no music before bar 1 to lead in with.' } : {};
  return [{ text: ', lead in with ' }, { text: spanWords(brief.leadIn), control: 'lead-in', ...none }];
}

const MODE_WORDS: Readonly<Record<Mode, readonly [string, string]>> = {
  'new take': ['record a new take', ' of '],
  merge: ['merge', ' into '],
  replace: ['replace', ' '],
  'replace while I play': ['replace, only while I play', ', '],
  'replace from my first note': ['replace, from my first note on', ', '],
};
const LAP_WORDS: Readonly<Record<LapPolicy, readonly [string, string]>> = {
  'a new take each': ['record each lap as a new take', ' of '],
  'build up': ['add, on each lap', ', to '],
  'fresh, then build up': ['record a new take and add to it, lap by lap', ', of '],
  'play to overwrite': ['replace, by each lap that I play in', ', '],
  'keep the last full lap': ['record lap after lap and let the last whole one stand', ' of '],
  'a layer each': ['record each lap as a layer of its own', ' on '],
};
const RIDE_NAMES: Readonly<Record<string, string>> = {
  'control 1': 'the modulation wheel',
  'control 2': 'the breath controller',
  'control 4': 'the foot controller',
  'control 7': 'the volume',
  'control 11': 'the expression pedal',
  'control 64': 'the sustain pedal',
  'control 66': 'the sostenuto pedal',
  'control 67': 'the soft pedal',
  bend: 'the bend wheel',
  pressure: 'the pressure',
};
/**
 * Words for a lane: "the modulation wheel", "controller 21".
 * @example laneWords('control 21') // 'controller 21'
 */
export const laneWords = (lane: Lane): string =>
  RIDE_NAMES[lane] ?? lane.replace('control ', 'controller ').replace('keyPressure', 'pressure of key');

/** Phrases for what the pass does to existing notes, up to the part's name. */
function doing({ song: { brief }, there = 0 }: BriefFacts): Phrase[] {
  const notes = many(there, 'note');
  if (brief.ride !== null) {
    const adds = modeOf({ ...(brief.loop ? { laps: brief.laps } : {}), ride: brief.ride }, brief.mode) === 'merge';
    return [
      {
        text: `${adds ? 'add' : 'ride'} ${laneWords(brief.ride)}`,
        control: 'mode',
        mark: 'Notes are not recorded in this pass.',
      },
      { text: adds ? ' to ' : ' over ' },
    ];
  }
  if (brief.loop) {
    const [text, joint] = LAP_WORDS[brief.laps];
    const marks: Partial<Record<LapPolicy, string>> = {
      'build up': `${notes} there already; they stay, and each lap is added.`,
      'a layer each': `${notes} there already; they stay, and each lap is added.`,
      'play to overwrite': `${notes} there already; a lap you play in takes their place. Undo brings them back.`,
    };
    const mark = there ? marks[brief.laps] : undefined;
    return [{ text, control: 'laps', ...(mark ? { mark } : {}) }, { text: joint }];
  }
  const [text, joint] = MODE_WORDS[brief.mode];
  const whilePlaying =
    brief.mode === 'replace while I play' && brief.gap !== TICKS_PER_QUARTER
      ? `${text} (a rest of ${lengthWords(brief.gap)} ends it)`
      : text;
  const staysOrGoes =
    brief.mode === 'merge'
      ? `${notes} there already; they stay, and what you play is added.`
      : `${notes} there already may go. Undo brings them back.`;
  const mark = there && brief.mode !== 'new take' ? staysOrGoes : undefined;
  return [{ text: whilePlaying, control: 'mode', ...(mark ? { mark } : {}) }, { text: joint }];
}

/**
 * Length in words: "a sixteenth", "2.5 quarters".
 * @example lengthWords(240) // 'a sixteenth'
 */
export function lengthWords(ticks: Ticks): string {
  const names: Readonly<Record<number, string>> = {
    960: 'a quarter',
    480: 'an eighth',
    240: 'a sixteenth',
    120: 'a thirty-second',
    1920: 'a half',
    3840: 'four quarters',
  };
  return names[ticks] ?? `${Math.round(ticks / 96) / 10} quarters`;
}

function early({ song: { brief } }: BriefFacts): Phrase {
  return {
    text: brief.early === 0 ? 'taking in nothing early' : `taking in notes up to ${lengthWords(brief.early)} early`,
    control: 'early',
  };
}

/** Phrases for what the settings of the keyboards in use leave out. */
function without({ song, keyboards }: BriefFacts): Phrase[] {
  const wanted = listenersOf(song).map((l) => l.route.keyboard);
  const used = keyboards.filter((k) => wanted.includes(null) || wanted.includes(k.id));
  const out = [...new Set(used.flatMap((k) => k.leavesOut ?? []))];
  return out.length
    ? [
        { text: ' but ' },
        {
          text: `not ${out.join(', ')}`,
          control: 'keyboard',
          mark: 'A keyboard’s settings leave this out, so it is not recorded. The line check has them.',
        },
      ]
    : [];
}

/** Phrases for outside instruments whose sound is recorded beside their keys. */
function sounds({ song, inputs }: BriefFacts): Phrase[] {
  const all = soundingParts(song);
  const none = withoutSound(song);
  const several = listenersOf(song).length > 1;
  return all.flatMap(({ name, input }): Phrase[] => {
    const away = inputs && !inputs.has(input.device) && !inputs.has(input.name);
    const mark = none ?? (away ? `${input.name} is away, so the keys are recorded without their sound.` : undefined);
    const text = `${mark ? 'no sound' : 'the sound'} from ${input.name}${several ? ` for ${name}` : ''}`;
    return [{ text: ', and ' }, { text, control: 'sound', ...(mark ? { mark } : {}) }];
  });
}

/** Phrase for practice speed, empty at full speed. */
const speed = ({ speed: now }: SongDocument): Phrase[] =>
  now === 1
    ? []
    : [
        { text: ' at ' },
        {
          text: `${Math.round(now * 100)}% speed`,
          control: 'speed',
          mark: 'Everything runs slower, for practice. What you record still lands on its bars.',
        },
      ];

/** Phrase for the transposition, empty where there is none. */
function transposed({ transposition, bars, key }: SongDocument): Phrase[] {
  const all = transposedRanges(transposition, bars);
  if (all.length === 0) return [];
  const [first] = all;
  const isWhole = all.length === 1 && first!.first === 1 && first!.last === bars;
  const text = isWhole ? semitoneWords(first!.semitones) : 'transposed in places';
  const now = keyInBar({ key, transposition }, first!.first);
  const inKey = now && isWhole ? `: in ${keyWords(now)}` : '';
  const mark = `The song sounds ${transpositionWords(transposition, bars)}${inKey}. What you record is in that key.`;
  return [{ text: ', ' }, { text, control: 'key', mark }];
}

/** Phrases for the tuning, where the program sounds; a keyboard that is heard by itself is tuned by itself. */
function hearing({ tuning }: SongDocument, keyboardItself: boolean): Phrase {
  const text = keyboardItself ? 'the keyboard itself' : 'Tall Kettle';
  if (tuning === 0) return { text, control: 'placement' };
  const mark = keyboardItself
    ? `The song is tuned to ${tuningWords(tuning)}. Set the keyboard’s own tuning to it.`
    : `Tuned to ${tuningWords(tuning)}, in Set up.`;
  return { text: keyboardItself ? text : `${text} at A ${hertzWords(tuning)}`, control: 'placement', mark };
}

/** Sentence of what the next pass will do. Nothing outside it changes what a pass does. */
export function briefPhrases(facts: BriefFacts): Phrase[] {
  const { song, playing } = facts;
  const { brief } = song;
  const part = song.parts.find((p) => p.id === brief.part);
  const led = playing
    ? [{ text: 'Record at once' }, ...speed(song), ...transposed(song), { text: ': ' }]
    : [...count(song), ...speed(song), ...transposed(song), ...leadIn(facts), { text: ', then ' }];
  const loops: Phrase[] = brief.loop ? [{ text: ', ' }, { text: 'going round', control: 'laps' }, { text: ' ' }] : [];
  const to = !brief.loop && brief.range && brief.punchIn && brief.punchOut && !playing ? ', ' : ' ';
  return [
    ...led,
    ...doing(facts),
    ...partPhrases(facts),
    ...(loops.length ? loops : [{ text: to }]),
    where(facts),
    ...(!brief.loop && brief.leadOut.count > 0
      ? [{ text: ' and ' }, { text: `${spanWords(brief.leadOut)} of lead-out`, control: 'lead-out' as const }]
      : []),
    { text: ', with what ' },
    keyboard(facts),
    { text: ' plays, ' },
    early(facts),
    ...without(facts),
    ...sounds(facts),
    { text: '. You hear ' },
    hearing(song, part?.placement.policy === 'played'),
    { text: ', quantize ' },
    quantize(facts),
    { text: '.' },
  ];
}

/** Words put before a setting where the short sentence does not lead up to it. */
const SHORT: Readonly<Partial<Record<BriefControl, string>>> = {
  count: 'count ',
  wait: 'wait ',
  speed: 'at ',
  key: '',
  'lead-in': 'lead in ',
  mode: '',
  laps: '',
  part: '',
  where: '',
};
/**
 * Brief in one line, legible from afar: "count 1 bar · record a new take · Piano · bars 9–12".
 * @example shortBrief([{ text: 'Count ' }, { text: '1 bar', control: 'count' }]) // 'count 1 bar'
 */
export const shortBrief = (phrases: readonly Phrase[]): string =>
  phrases
    .flatMap(({ control, text, mark }) => {
      const before = control && SHORT[control];
      const attention = mark ? '! ' : '';
      return before === undefined ? [] : [attention + (text.startsWith(before.trim()) ? text : before + text)];
    })
    .join(' · ');

/**
 * Brief as plain text, for a screen reader.
 * @example briefText([{ text: 'Count ' }, { text: '1 bar', control: 'count' }]) // 'Count 1 bar'
 */
export const briefText = (phrases: readonly Phrase[]): string => phrases.map((p) => p.text).join('');
