import type { z } from 'zod';
import type { SongDraft } from '../draft';

/** Kind of command: its fields, its effect, and its words. */
export interface CommandKind<F extends z.ZodType = z.ZodType> {
  /** Schema of its fields beside the type, for commands from storage. */
  readonly fields: F;
  /** Words of Undo. Undefined for a setting, which Undo steps over. */
  readonly undo?: string;
  /** Name in the history, where it differs from the type. */
  nameOf?(command: z.output<F>): string;
  /**
   * Changes the draft, whose patches are then the change.
   * @throws UnknownThing for something that the song does not have
   */
  carryOut(draft: SongDraft, command: z.output<F>): void;
}

/** Infers the type of a kind of command from its schema. */
export const command = <F extends z.ZodType>(kind: CommandKind<F>): CommandKind<F> => kind;
