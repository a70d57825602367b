import type { z } from 'zod';
import type { SongDraft } from '../draft';

/** A kind of command: what it carries, what it does, and its words. */
export interface CommandKind<F extends z.ZodType = z.ZodType> {
  /** Fields that the command carries beside its type. It is checked where a command comes in from storage. */
  readonly fields: F;
  /** Words of Undo beside its key. Nothing for a setting: undo steps over those. */
  readonly undo?: string;
  /** The command's name in the history, where it is not its type. */
  nameOf?(command: z.output<F>): string;
  /**
   * Changes the draft; the patches are what that came to.
   * @throws UnknownThing when it names something the song does not have
   */
  carryOut(draft: SongDraft, command: z.output<F>): void;
}

/** Gives a kind of command the type of what it carries. */
export const command = <F extends z.ZodType>(kind: CommandKind<F>): CommandKind<F> => kind;
