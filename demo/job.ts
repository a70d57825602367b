import { EVERYTHING } from '../core/recording/inputRoutes';
import { planPass } from '../core/recording/plan';
import { pass } from '../core/recording/pass';
import { IDLE, LATEST, type PassEffect, type PassInput } from '../core/recording/state';
import { change } from '../core/song/changes';
import { newBrief } from '../core/document/brief';
import { newPart, type NewPart } from '../core/document/part';
import { PLAIN, type SongDocument } from '../core/document/document';
import { DOCUMENT_VERSION } from '../core/document/versions';
import { mapsOf } from '../core/document/maps';
import { barAt, barStart, type MeterMap } from '../core/time/meter';
import { secondsAt } from '../core/time/tempo';
import type { Milliseconds } from '../core/time/units';
import type { Layer, LayerEvent, LayerHeader } from '../core/takes/layer';
import { HUMAN, perform, type Manner } from './player';
import { SHEETS } from './sheets';
import { barsOf, type Form } from './songs';
import type { WrittenNote, WrittenPart } from './writtenParts';

/** Pass of the simulated player. Bars count from 1 and are both included. */
export interface PastPass {
  readonly part: string;
  readonly fromBar: number;
  readonly toBar: number;
  readonly manner?: Partial<Manner>;
  /** Bars with upper notes played an octave higher on purpose. */
  readonly octaveUp?: readonly number[];
  /** Bars that rush more and more to their end. */
  readonly rushed?: readonly number[];
  /** Bars with rolled chords. */
  readonly rolled?: readonly number[];
  /** Bars whose last note is nearly halfway to the next line. */
  readonly stray?: readonly number[];
}

/** Shift of such a note, rush at the end of a bar, and distance of a roll's notes. */
const STRAY: Milliseconds = 72;
const RUSHED: Milliseconds = -65;
const ROLLED: Milliseconds = 34;

/** Delay of a pass's notes. */
function astray({ rushed = [], rolled = [], stray = [] }: PastPass, notes: readonly WrittenNote[], meter: MeterMap) {
  const last = new Map<number, number>();
  for (const { start } of notes) last.set(barAt(meter, start), Math.max(start, last.get(barAt(meter, start)) ?? 0));
  return (note: WrittenNote): Milliseconds => {
    const bar = barAt(meter, note.start);
    const from = barStart(meter, bar);
    const chord = notes.filter((n) => n.start === note.start && n.key >= MIDDLE_C && n.key < note.key);
    return (
      (rushed.includes(bar) ? (RUSHED * (note.start - from)) / (barStart(meter, bar + 1) - from) : 0) +
      (rolled.includes(bar) && note.key >= MIDDLE_C ? ROLLED * chord.length : 0) +
      (stray.includes(bar) && note.start === last.get(bar) ? STRAY : 0)
    );
  };
}

const MIDDLE_C = 60;
/** Written part as a pass means to play it. */
function meant(sheet: WrittenPart, meter: MeterMap, octaveUp: readonly number[] = []): WrittenPart {
  const isUp = ({ start, key }: WrittenNote) => key >= MIDDLE_C && octaveUp.includes(barAt(meter, start));
  return { ...sheet, notes: sheet.notes.map((n) => (isUp(n) ? { ...n, key: n.key + 12 } : n)) };
}

/** Demo song with its layers. */
export interface DemoSong {
  readonly document: SongDocument;
  readonly layers: readonly Layer[];
}

/** New song of a form: sections, tempo, meter and parts, the first one armed. */
export function blankSong(form: Form, parts: readonly NewPart[], backings: SongDocument['backings']): SongDocument {
  return {
    version: DOCUMENT_VERSION,
    title: form.title,
    bars: barsOf(form),
    tempo: [...form.tempo],
    meter: [form.meter],
    sections: form.sections.map(({ name, bars }, i) => ({ id: `section-${i + 1}`, name, bars, pattern: null })),
    backings,
    parts: parts.map((part, i) => newPart(part, i)),
    ...PLAIN,
    click: { ...PLAIN.click, gainDb: -12 },
    brief: newBrief(parts[0]!.id),
  };
}

/** Plays one pass through the program's own state machine. */
function playPass(
  song: SongDocument,
  past: PastPass,
  number: number,
  songKey: string,
  at: string,
): { song: SongDocument; layer: Layer } {
  const maps = mapsOf(song);
  const part = song.parts.find((p) => p.id === past.part)!;
  const range = { from: barStart(maps.meter, past.fromBar), to: barStart(maps.meter, past.toBar + 1) };
  const written = meant(SHEETS[part.sheet!]!(), maps.meter, past.octaveUp);
  const own = { ...HUMAN, seed: 11 * number, ...past.manner };
  const manner: Manner = { ...own, astray: astray(past, written.notes, maps.meter) };
  const played = perform(written, maps.tempo, manner, range);
  const names = ['pass', 'layer', 'take'].map((what) => `${songKey}-${what}-${number}`);
  const plan = planPass({
    song: { ...song, brief: { ...newBrief(part.id), range } },
    maps,
    listeners: [{ part, route: EVERYTHING }],
    start: 0,
    from: 'Bench keyboard',
    latency: { output: 0, input: 0 },
    newId: () => names.shift()!,
    at,
  });
  const [header] = plan.layers as [LayerHeader];
  const inputs: PassInput[] = [
    { type: 'record', plan },
    ...played.map((p): PassInput => ({ type: 'key', port: 'bench', at: p.at, message: p.message })),
    { type: 'clock', at: secondsAt(maps.tempo, range.to) + LATEST },
  ];
  let state = IDLE;
  const effects: PassEffect[] = [];
  for (const input of inputs) {
    const step = pass(state, input);
    state = step.state;
    effects.push(...step.effects);
  }
  const events = effects.flatMap((e): LayerEvent[] => (e.type === 'keep' ? [e.event] : []));
  const { result } = effects.find((e) => e.type === 'recorded')!;
  return {
    song: change(song, { type: 'record', result, at }).document,
    layer: { header, events, closing: result.layers[0]!.closing },
  };
}

/** Song with the simulated passes, in order. */
export function playedSong(blank: SongDocument, songKey: string, passes: readonly PastPass[]): DemoSong {
  return passes.reduce<DemoSong>(
    ({ document, layers }, past, i) => {
      const at = new Date(Date.UTC(2026, 9, 12, 18, 5 * i)).toISOString();
      const { song, layer } = playPass(document, past, i + 1, songKey, at);
      return { document: song, layers: [...layers, layer] };
    },
    { document: blank, layers: [] },
  );
}
