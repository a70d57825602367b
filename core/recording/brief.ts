import type { Part, SongDocument } from '../song/document';
import { barAt, positionAt, type MeterMap } from '../time/meter';
import type { TickRange, Ticks } from '../time/units';
import { gridWords } from '../timing/grid';

export type BriefControl = 'count' | 'where' | 'part' | 'keyboard' | 'placement' | 'quantize';

/** A piece of the sentence. One with a control shows a setting and opens it. */
export interface Phrase {
  readonly text: string;
  readonly control?: BriefControl;
  /** Why this may surprise; the phrase is then marked. */
  readonly mark?: string;
}

export interface BriefFacts {
  readonly song: SongDocument;
  readonly meter: MeterMap;
  readonly end: Ticks;
  readonly playhead: Ticks;
  /** Ports that are on, by id. */
  readonly keyboards: readonly { readonly id: string; readonly name: string }[];
}

const plural = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`;

/** "bars 17–20", or "3 · 2 to 4 · 1" when it does not go from bar line to bar line. */
export function rangeWords(range: TickRange, meter: MeterMap): string {
  const from = positionAt(meter, range.from);
  const to = positionAt(meter, range.to);
  if (from.beat === 1 && from.tick === 0 && to.beat === 1 && to.tick === 0) {
    return to.bar - 1 === from.bar ? `bar ${from.bar}` : `bars ${from.bar}–${to.bar - 1}`;
  }
  return `${from.bar} · ${from.beat} to ${to.bar} · ${to.beat}`;
}

function where({ song, meter, playhead }: BriefFacts): Phrase {
  if (song.brief.range) return { text: rangeWords(song.brief.range, meter), control: 'where' };
  const { bar, beat, tick } = positionAt(meter, playhead);
  const text = beat === 1 && Math.round(tick) === 0 ? `from bar ${bar} to the end` : `from ${bar} · ${beat} to the end`;
  return { text, control: 'where', ...(bar > song.bars ? { mark: 'The playhead is past the song’s end.' } : {}) };
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
    : { text: 'a keyboard that is away', control: 'keyboard', mark: 'The chosen keyboard is not on.' };
}

function partPhrase(part: Part | undefined): Phrase {
  if (!part) return { text: 'no part', control: 'part', mark: 'No part hears the keys.' };
  return { text: part.name, control: 'part', ...(part.muted ? { mark: 'This part is muted: you will not hear it.' } : {}) };
}

function quantize({ song }: BriefFacts): Phrase {
  const recipe = song.brief.quantize;
  if (!recipe) return { text: 'off', control: 'quantize' };
  return {
    text: `${Math.round(recipe.strength * 100)}% to ${gridWords(recipe.grid)}`,
    control: 'quantize',
    mark: 'The take will be pulled to the grid. As played stays underneath.',
  };
}

/** What the next pass will do, as one sentence. Nothing that is not in it changes what the pass does. */
export function briefPhrases(facts: BriefFacts): Phrase[] {
  const { song } = facts;
  const part = song.parts.find((p) => p.id === song.brief.part);
  const bars = song.brief.countOffBars;
  const count: Phrase[] = bars > 0
    ? [{ text: 'Count ' }, { text: plural(bars, 'bar'), control: 'count' }]
    : [{ text: 'Start ' }, { text: 'with no count', control: 'count' }];
  return [
    ...count,
    { text: ', then record a new take of ' }, partPhrase(part),
    { text: song.brief.range ? ', ' : ' ' }, where(facts),
    { text: ', with what ' }, keyboard(facts), { text: ' plays. Timing ' },
    { text: part?.placement.policy === 'played' ? 'as I played it' : 'as I heard it', control: 'placement' },
    { text: ', quantize ' }, quantize(facts), { text: '.' },
  ];
}

/** The sentence without its controls, for reading out. */
export const briefText = (phrases: readonly Phrase[]): string => phrases.map((p) => p.text).join('');

/** "bars 1–40" for the stretch of a take, outward to whole bars. */
export function barsWords(range: TickRange, meter: MeterMap): string {
  const first = barAt(meter, range.from);
  const last = Math.max(first, barAt(meter, range.to - 1));
  return first === last ? `bar ${first}` : `bars ${first}–${last}`;
}
