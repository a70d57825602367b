import { applyPatches, enablePatches, produceWithPatches, type Draft, type Patch } from 'immer';
import { z } from 'zod';
import type { PassResult } from '../recording/pass';
import type { LayerClosing, LayerHeader } from '../takes/layer';
import { pick, type Pick as CompPick } from '../takes/line';
import { layTreatment, withoutTreatment, type Treatment } from '../timing/treatment';
import type { TickRange } from '../time/units';
import { newPart, songSchema, type Brief, type NewPart, type Part, type SongDocument } from './document';

enablePatches();

/** Every way in which a song changes. Undo shows the command's words. */
export type Command =
  | { readonly type: 'set brief'; readonly brief: Partial<Brief> }
  | { readonly type: 'set click'; readonly click: Partial<SongDocument['click']> }
  | { readonly type: 'set part'; readonly part: string; readonly to: Partial<Pick<Part, 'name' | 'sound' | 'gainDb' | 'muted' | 'solo'>> }
  | { readonly type: 'set backing'; readonly backing: string; readonly to: Partial<Pick<SongDocument['backings'][number], 'gainDb' | 'muted' | 'solo'>> }
  | { readonly type: 'place part'; readonly part: string; readonly policy: 'played' | 'heard' }
  | { readonly type: 'add part'; readonly part: NewPart }
  | { readonly type: 'record'; readonly result: PassResult; readonly at: string; readonly treatmentId: string }
  | { readonly type: 'treat'; readonly part: string; readonly treatment: Treatment }
  | { readonly type: 'take treatment off'; readonly part: string; readonly range: TickRange };

type SongDraft = Draft<SongDocument>;

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

export class UnknownThing extends Error {}

function partOf(draft: SongDraft, id: string): Draft<Part> {
  const part = draft.parts.find((p) => p.id === id);
  if (!part) throw new UnknownThing('That part is no longer in the song.');
  return part as Draft<Part>;
}

function addTake(part: Draft<Part>, header: LayerHeader, closing: LayerClosing, at: string): void {
  const { from, to } = closing.range;
  const number = Math.max(0, ...part.takes.map((t) => t.number)) + 1;
  part.takes.push({ id: header.takeId, number, layers: [header.id], from, to, placement: { ...header.placement }, at });
  part.comp = pick(part.comp as CompPick[], { from, to, takeId: header.takeId }) as Draft<Part>['comp'];
}

/** Puts a pass's layers where its mode says. A layer without a note makes no take, and clears what its mode clears. */
function record(draft: SongDraft, { mode, layers }: PassResult, at: string, treatmentId: string): void {
  for (const { header, closing, notes } of layers) {
    const part = partOf(draft, header.partId);
    // Recording the same layer again is harmless: two windows may both find a pass that was cut off.
    const there = part.takes.some((t) => t.layers.includes(header.id));
    if (there || closing.range.to <= closing.range.from) continue;
    const known = part.takes.find((t) => t.id === header.takeId);
    if (mode === 'new take' || !known) {
      if (notes === 0) continue;
      addTake(part, header, closing, at);
    } else {
      known.layers.push(header.id);
    }
    if (header.quantize) {
      const treatment = { id: treatmentId, ...closing.range, ...header.quantize };
      part.treatments = layTreatment(part.treatments as Treatment[], treatment);
    }
  }
}

function carryOut(draft: SongDraft, command: Command): void {
  switch (command.type) {
    case 'set brief': Object.assign(draft.brief, command.brief); return;
    case 'set click': Object.assign(draft.click, command.click); return;
    case 'set part': Object.assign(partOf(draft, command.part), command.to); return;
    case 'set backing': {
      const backing = draft.backings.find((b) => b.id === command.backing);
      if (!backing) throw new UnknownThing('That backing is no longer in the song.');
      Object.assign(backing, command.to);
      return;
    }
    case 'place part': {
      const part = partOf(draft, command.part);
      part.placement.policy = command.policy;
      for (const take of part.takes) take.placement.policy = command.policy;
      return;
    }
    case 'add part':
      draft.parts.push(newPart(command.part, draft.parts.length) as Draft<Part>);
      draft.brief.part ??= command.part.id;
      return;
    case 'record': record(draft, command.result, command.at, command.treatmentId); return;
    case 'treat': {
      const part = partOf(draft, command.part);
      part.treatments = layTreatment(part.treatments as Treatment[], command.treatment);
      return;
    }
    case 'take treatment off': {
      const part = partOf(draft, command.part);
      part.treatments = withoutTreatment(part.treatments as Treatment[], command.range);
    }
  }
}

/**
 * Carries out a command.
 * @throws UnknownThing when it names a part or backing the song does not have
 * @throws ZodError when the song would not be valid afterwards
 */
export function change(document: SongDocument, command: Command): Change {
  const [next, patches, inverse] = produceWithPatches(document, (draft) => carryOut(draft as SongDraft, command));
  songSchema.parse(next);
  return { document: next, patches, inverse };
}

/** The song with patches applied. @throws ZodError when the outcome is not a song */
export function patched(document: SongDocument, patches: readonly Patch[]): SongDocument {
  return songSchema.parse(applyPatches(document, patches as Patch[]));
}

const SETTINGS: readonly Command['type'][] = ['set brief', 'set click', 'set part', 'set backing'];

/** Settings touch other places in the song than takes, comp and treatments do, so undo can step over them. */
export const kindOf = (command: Command): 'do' | 'set' => (SETTINGS.includes(command.type) ? 'set' : 'do');

/** What undo shows beside its key. */
export function commandWords(type: string): string {
  const words: Readonly<Record<string, string>> = {
    'place part': 'the placement', 'add part': 'the new part', record: 'the pass', treat: 'the treatment',
    'take treatment off': 'taking the treatment off',
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
