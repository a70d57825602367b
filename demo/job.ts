import { countOff } from '../core/recording/count';
import { IDLE, LATEST, pass, type PassEffect, type PassInput } from '../core/recording/pass';
import { change } from '../core/song/changes';
import { newPart, type NewPart, type SongDocument } from '../core/song/document';
import { mapsOf } from '../core/song/song';
import { barStart } from '../core/time/meter';
import { secondsAt } from '../core/time/tempo';
import type { Layer, LayerEvent, LayerHeader } from '../core/takes/layer';
import { HUMAN, perform, type Manner } from './player';
import { SHEETS } from './sheets';
import { barsOf, type Form } from './songs';

/** A pass the stand-in has already played. Bars count from 1 and are both included. */
export interface PastPass {
  readonly part: string;
  readonly fromBar: number;
  readonly toBar: number;
  readonly manner?: Partial<Manner>;
}

/** A demo song with its takes' layers. */
export interface DemoSong {
  readonly document: SongDocument;
  readonly layers: readonly Layer[];
}

/** The blank song of a form: sections, tempo, meter and parts, with the first part hearing the keys. */
export function blankSong(form: Form, parts: readonly NewPart[], backings: SongDocument['backings']): SongDocument {
  return {
    version: 1, title: form.title, bars: barsOf(form), tempo: [...form.tempo], meter: [form.meter],
    sections: form.sections.map(({ name, bars }, i) => ({ id: `section-${i + 1}`, name, bars })),
    backings, parts: parts.map((part, i) => newPart(part, i)),
    click: { on: true, gainDb: -12 },
    brief: { countOffBars: 1, part: parts[0]!.id, keyboard: null, mode: 'new take', range: null, quantize: null },
  };
}

/** Plays one pass through the program's own state machine. */
function playPass(song: SongDocument, past: PastPass, number: number, songKey: string, at: string): { song: SongDocument; layer: Layer } {
  const maps = mapsOf(song);
  const part = song.parts.find((p) => p.id === past.part)!;
  const range = { from: barStart(maps.meter, past.fromBar), to: barStart(maps.meter, past.toBar + 1) };
  const header: LayerHeader = {
    id: `${songKey}-layer-${number}`, partId: part.id, passId: `${songKey}-pass-${number}`, takeId: `${songKey}-take-${number}`,
    source: 'pass', from: 'Bench keyboard', startedAt: at, tempo: song.tempo, latency: { output: 0, input: 0 },
    placement: part.placement, planned: range, early: 240, quantize: null,
  };
  const manner: Manner = { ...HUMAN, seed: 11 * number, ...past.manner };
  const played = perform(SHEETS[part.sheet!]!(), maps.tempo, manner, range);
  const plan = { passId: header.passId, mode: 'new take' as const, count: countOff(maps.tempo, maps.meter, range.from, 1), range, keyboard: null, layers: [header] };
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
  const finished = effects.find((e) => e.type === 'finished')!;
  const command = { type: 'record' as const, result: finished.result, at, treatmentId: `${header.passId}-treatment` };
  return { song: change(song, command).document, layer: { header, events, closing: finished.result.layers[0]!.closing } };
}

/** A song with the passes the stand-in has played, in order. */
export function playedSong(blank: SongDocument, songKey: string, passes: readonly PastPass[]): DemoSong {
  return passes.reduce<DemoSong>(({ document, layers }, past, i) => {
    const at = new Date(Date.UTC(2026, 9, 12, 18, 5 * i)).toISOString();
    const { song, layer } = playPass(document, past, i + 1, songKey, at);
    return { document: song, layers: [...layers, layer] };
  }, { document: blank, layers: [] });
}
