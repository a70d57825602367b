import type { Draft } from 'immer';
import { z } from 'zod';
import type { Part } from '../../document/part';
import { MOST_NUDGE, placementSchema } from '../../placement/schema';
import { treatmentSchema } from '../../timing/schema';
import { applyTreatment, withoutTreatment, type Treatment } from '../../timing/treatments';
import { id, noteId, rangeSchema, tick } from '../../vocabulary/fields';
import { partOf } from '../draft';
import { command } from './command';

const { policy, nudge } = placementSchema.unwrap().shape;
type DraftTreatments = Draft<Part>['treatments'];

/** Notes with the line that they were put to; null undoes a decision. */
const decision = z.object({
  notes: z.array(noteId).min(1).max(20_000).readonly(),
  line: z.union([tick, z.literal('played'), z.null()]),
});

/** Commands for placement and treatments. */
export const timingCommands = {
  'place part': command({
    fields: z.object({ part: id, policy, nudge: nudge.optional() }),
    undo: 'the placement',
    carryOut: (draft, { part: partId, policy: chosen, nudge: by }) => {
      const part = partOf(draft, partId);
      const placement = { policy: chosen, nudge: by ?? part.placement.nudge };
      const further = placement.nudge - part.placement.nudge;
      part.placement = placement;
      for (const take of part.takes) {
        take.placement = { ...placement };
        // Layers with a placement of their own, as copies have, move along with the part.
        for (const own of Object.values(take.placements)) {
          own.policy = chosen;
          own.nudge = Math.max(-MOST_NUDGE, Math.min(MOST_NUDGE, own.nudge + further));
        }
      }
    },
  }),

  treat: command({
    fields: z.object({ part: id, treatment: treatmentSchema }),
    undo: 'the treatment',
    carryOut: (draft, { part: partId, treatment }) => {
      const part = partOf(draft, partId);
      part.treatments = applyTreatment(part.treatments as Treatment[], treatment) as DraftTreatments;
    },
  }),

  /** Applies one recipe to several parts. */
  'treat parts': command({
    fields: z.object({ parts: z.array(id).min(1).max(200).readonly(), treatment: treatmentSchema }),
    undo: 'the treatment',
    carryOut: (draft, { parts, treatment }) => {
      for (const part of parts.map((partId) => partOf(draft, partId)))
        part.treatments = applyTreatment(part.treatments as Treatment[], treatment) as DraftTreatments;
    },
  }),

  /** Stores the player's decisions about unsure notes: a grid line, that they stay, or none. */
  decide: command({
    fields: decision.extend({ part: id, also: z.array(decision).max(1000).readonly().optional() }),
    undo: 'what was decided',
    carryOut: (draft, { part: partId, also = [], ...first }) => {
      const { decided } = partOf(draft, partId);
      for (const { notes, line } of [first, ...also])
        for (const note of notes) {
          if (line === null) delete decided[note];
          else decided[note] = line;
        }
    },
  }),

  /** Removes a treatment of some of the notes, whatever else is applied there. */
  'take one treatment off': command({
    fields: z.object({ part: id, treatment: id }),
    undo: 'taking the treatment off',
    carryOut: (draft, { part: partId, treatment }) => {
      const part = partOf(draft, partId);
      part.treatments = part.treatments.filter((t) => t.id !== treatment);
    },
  }),

  'take treatment off': command({
    fields: z.object({ part: id, range: rangeSchema }),
    undo: 'taking the treatment off',
    carryOut: (draft, { part: partId, range }) => {
      const part = partOf(draft, partId);
      part.treatments = withoutTreatment(part.treatments as Treatment[], range) as DraftTreatments;
    },
  }),
};
