import type { Draft } from 'immer';
import { z } from 'zod';
import type { Part } from '../../document/part';
import { newTake, takeFacts, type Take } from '../../document/take';
import type { AddedNote, Edit } from '../../takes/edits';
import { transpositionOf } from '../../document/transposition';
import { keyBy, semitonesOf, type Transposition } from '../../performance/transposition';
import { meterMap } from '../../time/meter';
import { editSchema, layerHeaderSchema } from '../../takes/schema';
import { unpicked } from '../../takes/line';
import { wholeTicks } from '../../time/units';
import { treatmentSchema } from '../../timing/schema';
import { applyTreatment, type Treatment } from '../../timing/treatments';
import { id, rangeSchema } from '../../vocabulary/fields';
import { partOf, takeOf, type SongDraft } from '../draft';
import { hear, mergeOver } from '../recorded';
import { command } from './command';

/** Prefix of hand edits' names in the history. */
export const BY_HAND = 'by hand: ';
/** Words such as "moving 3 notes", for Undo. */
const what = z.string().min(1).max(80);

const takeEdits = z.object({ take: id, edits: z.array(editSchema).min(1).max(2000).readonly() });

function edit(draft: SongDraft, partId: string, all: readonly z.output<typeof takeEdits>[]): void {
  const part = partOf(draft, partId);
  const transposition = transpositionOf(draft.transposition, meterMap(draft.meter));
  const kept = (own: Edit): Edit => (own.op === 'add' ? atOwnPitch(own, transposition) : own);
  for (const { take, edits } of all) takeOf(part, take).edits.push(...(edits.map(kept) as Draft<Edit>[]));
}

/** Added notes at their written pitch, where the song is transposed. */
const atOwnPitch = <E extends Extract<Edit, { readonly op: 'add' }>>(own: E, transposition: Transposition): E =>
  transposition.length === 0
    ? own
    : {
        ...own,
        notes: own.notes.map(([start, end, key, velocity, release]): AddedNote => {
          const semitones = semitonesOf(transposition, { start, end });
          return [start, end, keyBy(key, -semitones), velocity, release];
        }),
      };

/** Hand edits of notes and controllers, and copies of whole ranges, which become takes of their own. */
export const editCommands = {
  'edit takes': command({
    fields: z.object({ part: id, what, takes: z.array(takeEdits).min(1).max(2000).readonly() }),
    undo: 'the change by hand',
    nameOf: (c) => BY_HAND + c.what,
    carryOut: (draft, { part, takes }) => edit(draft, part, takes),
  }),

  /** Gives whole takes back as played. */
  'give takes back': command({
    fields: z.object({ part: id, takes: z.array(id).min(1).readonly() }),
    undo: 'giving a take back as it was played',
    carryOut: (draft, { part: partId, takes }) => {
      const part = partOf(draft, partId);
      for (const take of takes.map((takeId) => takeOf(part, takeId))) {
        take.edits = [];
        for (const warp of take.warps) warp.edits = 0;
      }
    },
  }),

  /** Merges pasted notes into the takes that are heard. Their layers are stored already. */
  'paste notes': command({
    fields: z.object({
      part: id,
      what,
      layers: z
        .array(z.object({ header: layerHeaderSchema, range: rangeSchema }))
        .min(1)
        .max(200)
        .readonly(),
      at: z.string(),
      /** Edits of the receiving takes, which keep pasted notes at their places. */
      edits: z.array(editSchema).max(200).readonly(),
      /** Edits that delete moved notes from where they were. */
      takes: z.array(takeEdits).max(2000).readonly().default([]),
    }),
    undo: 'pasting notes',
    nameOf: (c) => BY_HAND + c.what,
    carryOut: (draft, { part: partId, layers, at, edits, takes }) => {
      edit(draft, partId, takes);
      const part = partOf(draft, partId);
      for (const { header, range } of layers) mergeOver(part, header, wholeTicks(range), at);
      const own = new Set(layers.map(({ header }) => header.id));
      if (edits.length > 0)
        for (const take of part.takes)
          if (take.layers.some((l) => own.has(l))) take.edits.push(...(edits as Draft<Edit>[]));
    },
  }),

  /** Picks ranges where they were copied, moved or swapped to, and removes others from the comp. */
  'put stretches': command({
    fields: z.object({
      what,
      takes: z
        .array(
          z.object({
            part: id,
            take: z.object({
              id,
              layers: z.array(id).min(1).max(200).readonly(),
              name: takeFacts.name,
              at: z.string(),
            }),
            range: rangeSchema,
            heard: z.array(rangeSchema).min(1).max(5000).readonly(),
            edits: z.array(editSchema).max(2000).readonly(),
            treatments: z.array(treatmentSchema).max(5000).readonly(),
          }),
        )
        .max(2000)
        .readonly(),
      cleared: z
        .array(z.object({ part: id, range: rangeSchema }))
        .max(5000)
        .readonly(),
    }),
    undo: 'putting bars elsewhere',
    nameOf: (c) => BY_HAND + c.what,
    carryOut: (draft, { takes, cleared }) => {
      for (const { part: partId, range } of cleared) {
        const part = partOf(draft, partId);
        part.comp = unpicked(part.comp, wholeTicks(range));
        part.lanes = unpicked(part.lanes, wholeTicks(range));
      }
      for (const { part: partId, take, range, heard, edits, treatments } of takes) {
        const part = partOf(draft, partId);
        const number = Math.max(0, ...part.takes.map((t) => t.number)) + 1;
        const placement = { policy: 'heard', nudge: 0 } as const;
        const made = newTake({
          ...take,
          layers: [...take.layers],
          number,
          ...wholeTicks(range),
          placement,
          edits: [...edits],
        });
        part.takes.push(made as Draft<Take>);
        for (const place of heard) hear(part, { ...wholeTicks(place), takeId: take.id, by: 'hand' });
        for (const treatment of treatments)
          part.treatments = applyTreatment(part.treatments as Treatment[], treatment) as Draft<Part>['treatments'];
      }
    },
  }),
};
