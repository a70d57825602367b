import { applyPatches, enablePatches, produceWithPatches, type Draft, type Patch } from 'immer';
import { z } from 'zod';
import type { PassResult } from '../recording/state';
import { layTreatment, withoutTreatment, type Treatment } from '../timing/treatment';
import type { Milliseconds, Seconds, TickRange } from '../time/units';
import {
  newPart,
  songSchema,
  takeSign,
  type Backing,
  type Brief,
  type NewPart,
  type Part,
  type Section,
  type SongDocument,
} from './document';
import { playedBars, retime, type Retiming } from './retime';
import { hear, moveLayerOut, partOf, record, UnknownThing, type MoveLayerOut, type SongDraft } from './recorded';

enablePatches();

/** Every way in which a song changes. Undo shows the command's words. */
export type Command =
  | { readonly type: 'set brief'; readonly brief: Partial<Brief> }
  | { readonly type: 'set click'; readonly click: Partial<SongDocument['click']> }
  | {
      readonly type: 'set part';
      readonly part: string;
      readonly to: Partial<
        Pick<Part, 'name' | 'sound' | 'gainDb' | 'muted' | 'solo' | 'monitor' | 'output' | 'overLine'>
      >;
    }
  | {
      readonly type: 'set backing';
      readonly backing: string;
      readonly to: Partial<Pick<Backing, 'name' | 'gainDb' | 'pan' | 'muted' | 'solo'>>;
    }
  | { readonly type: 'set song'; readonly to: Partial<Pick<SongDocument, 'title' | 'notes' | 'rhythm' | 'speed'>> }
  | { readonly type: 'set length'; readonly bars: number }
  | { readonly type: 'set sections'; readonly sections: readonly Section[] }
  | { readonly type: 'set tempo'; readonly retiming: Retiming }
  | { readonly type: 'add backing'; readonly backing: Backing }
  | { readonly type: 'take backing out'; readonly backing: string }
  | { readonly type: 'move backing'; readonly backing: string; readonly offset: Seconds }
  | {
      readonly type: 'place part';
      readonly part: string;
      readonly policy: 'played' | 'heard';
      readonly nudge?: Milliseconds;
    }
  | { readonly type: 'add part'; readonly part: NewPart }
  | { readonly type: 'record'; readonly result: PassResult; readonly at: string }
  /** What look-back kept: laid into takes as passes are, in one change; the song may grow for it, or take its tempo. */
  | {
      readonly type: 'keep';
      readonly results: readonly PassResult[];
      readonly at: string;
      readonly bars?: number;
      readonly retiming?: Retiming;
    }
  | {
      readonly type: 'mute layer';
      readonly part: string;
      readonly take: string;
      readonly layer: string;
      readonly muted: boolean;
    }
  | ({ readonly type: 'move layer out' } & MoveLayerOut)
  | { readonly type: 'pick take'; readonly part: string; readonly take: string; readonly range: TickRange }
  | { readonly type: 'treat'; readonly part: string; readonly treatment: Treatment }
  | { readonly type: 'hand over'; readonly parts: readonly string[]; readonly at: string }
  | { readonly type: 'take treatment off'; readonly part: string; readonly range: TickRange };

/** What a change did, both ways. */
export interface Change {
  readonly document: SongDocument;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

export const patchSchema = z.object({
  op: z.enum(['replace', 'remove', 'add']),
  path: z.array(z.union([z.string(), z.number()])),
  value: z.unknown().optional(),
});

/** Places in a song are whole ticks. */
const whole = ({ from, to }: TickRange): TickRange => ({ from: Math.round(from), to: Math.round(to) });

const barsOf = (sections: readonly Section[]): number => sections.reduce((sum, s) => sum + s.bars, 0);

function backingOf(draft: SongDraft, id: string): Draft<Backing> {
  const backing = draft.backings.find((b) => b.id === id);
  if (!backing) throw new UnknownThing('That backing is no longer in the song.');
  return backing as Draft<Backing>;
}

function carryOut(draft: SongDraft, command: Command): void {
  switch (command.type) {
    case 'set brief':
      Object.assign(draft.brief, command.brief, command.brief.range ? { range: whole(command.brief.range) } : {});
      return;
    case 'set click':
      Object.assign(draft.click, command.click);
      return;
    case 'set part':
      Object.assign(partOf(draft, command.part), command.to);
      return;
    case 'set backing':
      Object.assign(backingOf(draft, command.backing), command.to);
      return;
    case 'set song':
      Object.assign(draft, command.to);
      return;
    case 'set length':
      draft.bars = command.bars;
      return;
    case 'set sections': {
      // A song that its sections cover goes on being as long as they are, but never shorter than what was played.
      const covered = barsOf(draft.sections) === draft.bars;
      draft.sections = command.sections.map((s) => ({ ...s }));
      draft.bars = Math.max(covered ? playedBars(draft) : draft.bars, barsOf(draft.sections), 1);
      return;
    }
    case 'set tempo':
      retime(draft, command.retiming);
      return;
    case 'add backing':
      draft.backings.push(command.backing as Draft<Backing>);
      return;
    case 'take backing out':
      return;
    case 'move backing':
      backingOf(draft, command.backing).offset = command.offset;
      return;
    case 'place part': {
      const part = partOf(draft, command.part);
      const placement = { policy: command.policy, nudge: command.nudge ?? part.placement.nudge };
      part.placement = placement;
      for (const take of part.takes) take.placement = { ...placement };
      return;
    }
    case 'add part':
      draft.parts.push(newPart(command.part, draft.parts.length) as Draft<Part>);
      draft.brief.part ??= command.part.id;
      return;
    case 'record':
      record(draft, command.result, command.at);
      return;
    case 'keep':
      if (command.retiming) retime(draft, command.retiming);
      draft.bars = Math.max(draft.bars, command.bars ?? 1);
      for (const result of command.results) record(draft, result, command.at);
      return;
    case 'mute layer': {
      const take = partOf(draft, command.part).takes.find((t) => t.id === command.take);
      if (!take) throw new UnknownThing('That take is no longer in the song.');
      take.muted = [...take.muted.filter((m) => m !== command.layer), ...(command.muted ? [command.layer] : [])];
      return;
    }
    case 'move layer out':
      moveLayerOut(draft, command);
      return;
    case 'pick take': {
      const part = partOf(draft, command.part);
      if (!part.takes.some((t) => t.id === command.take)) throw new UnknownThing('That take is no longer in the song.');
      hear(part, { ...whole(command.range), takeId: command.take });
      return;
    }
    case 'treat': {
      const part = partOf(draft, command.part);
      part.treatments = layTreatment(part.treatments as Treatment[], command.treatment) as Draft<Part>['treatments'];
      return;
    }
    case 'hand over':
      for (const part of command.parts.map((id) => partOf(draft, id))) {
        part.handed = {
          at: command.at,
          comp: part.comp.map((p) => ({ ...p })),
          treatments: part.treatments.map((t) => ({ ...t })),
          takes: Object.fromEntries(part.takes.map((t) => [t.id, takeSign(t)])),
        };
      }
      return;
    case 'take treatment off': {
      const part = partOf(draft, command.part);
      part.treatments = withoutTreatment(part.treatments as Treatment[], command.range) as Draft<Part>['treatments'];
    }
  }
}

/**
 * Takes a backing out by its place alone. Said as another list, undoing it would bring back the levels that the other
 * backings had then.
 */
function withoutBacking(document: SongDocument, id: string): Change {
  const index = document.backings.findIndex((b) => b.id === id);
  if (index < 0) throw new UnknownThing('That backing is no longer in the song.');
  const path = ['backings', index];
  const patches: Patch[] = [{ op: 'remove', path }];
  return {
    document: patched(document, patches),
    patches,
    inverse: [{ op: 'add', path, value: document.backings[index] }],
  };
}

/**
 * Carries out a command.
 * @throws UnknownThing when it names a part or backing the song does not have
 * @throws ZodError when the song would not be valid afterwards
 */
export function change(document: SongDocument, command: Command): Change {
  if (command.type === 'take backing out') return withoutBacking(document, command.backing);
  const [next, patches, inverse] = produceWithPatches(document, (draft) => carryOut(draft as SongDraft, command));
  songSchema.parse(next);
  return { document: next, patches, inverse };
}

/** The song with patches applied. @throws ZodError when the outcome is not a song */
export function patched(document: SongDocument, patches: readonly Patch[]): SongDocument {
  return songSchema.parse(applyPatches(document, patches as Patch[]));
}

const SETTINGS: readonly Command['type'][] = [
  'set brief',
  'set click',
  'set part',
  'set backing',
  'set song',
  'hand over',
];

/** Settings touch other places in the song than takes, comp and treatments do, so undo can step over them. */
export const kindOf = (command: Command): 'do' | 'set' => (SETTINGS.includes(command.type) ? 'set' : 'do');

/** Laps of one pass share a name in the history, so that they can be taken back together. */
export const LAP = 'lap of ';
export const nameOf = (command: Command): string =>
  command.type === 'record' && command.result.layers[0]?.header.laps
    ? `${LAP}${command.result.passId}`.slice(0, 60)
    : command.type;

/** What undo shows beside its key. */
export function commandWords(type: string): string {
  if (type.startsWith(LAP)) return 'the last lap';
  const words: Readonly<Record<string, string>> = {
    'place part': 'the placement',
    'add part': 'the new part',
    record: 'the pass',
    keep: 'what was kept',
    'mute layer': 'muting a layer',
    'move layer out': 'moving a layer out',
    'pick take': 'picking a take',
    treat: 'the treatment',
    'take treatment off': 'taking the treatment off',
    'set length': 'the song’s length',
    'set sections': 'the sections',
    'set tempo': 'the tempo',
    'add backing': 'the new backing',
    'take backing out': 'taking the backing out',
    'move backing': 'moving the backing',
  };
  return words[type] ?? 'the last change';
}

/** One row of a song's history, as stored. */
export interface HistoryRow {
  readonly revision: number;
  /** A `set` is a setting: visible where it is set, and not what Undo takes back. */
  readonly kind: 'do' | 'set' | 'undo' | 'redo';
  readonly name: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

export interface Stacks {
  /** Undoable, the latest last. */
  readonly done: readonly HistoryRow[];
  /** Redoable, the next last. */
  readonly undone: readonly HistoryRow[];
}

/** Replays the history into what can be undone and redone now. A new change forgets what was undone. */
export function stacksOf(history: readonly HistoryRow[]): Stacks {
  const done: HistoryRow[] = [];
  const undone: HistoryRow[] = [];
  for (const row of history) {
    if (row.kind === 'do') {
      done.push(row);
      undone.length = 0;
    } else if (row.kind === 'set') {
      continue;
    } else if (row.kind === 'undo') {
      const last = done.pop();
      if (last) undone.push(last);
    } else {
      const next = undone.pop();
      if (next) done.push(next);
    }
  }
  return { done, undone };
}

export type { Patch } from 'immer';
