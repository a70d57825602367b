import type { z } from 'zod';
import type { SongDocument } from '../../document/document';
import type { SongDraft } from '../draft';
import type { Change } from '../history';

interface Described<F extends z.ZodType> {
  /** What the command carries beside its type. It is checked where a command comes in from storage. */
  readonly fields: F;
  /** What Undo says beside its key. Nothing for a setting: undo steps over those. */
  readonly undo?: string;
  /** The command's name in the history, where it is not its type. */
  nameOf?(command: z.output<F>): string;
}

/** Changes the draft; the patches are what that came to. */
interface Drafted<F extends z.ZodType> extends Described<F> {
  /** @throws UnknownThing when it names something the song does not have */
  carryOut(draft: SongDraft, command: z.output<F>): void;
}

/** Says its own patches, where those of a draft would say too much. */
interface Patched<F extends z.ZodType> extends Described<F> {
  /** @throws UnknownThing when it names something the song does not have */
  change(document: SongDocument, command: z.output<F>): Change;
}

/** One way in which a song changes: what it carries, what it does, and its words. */
export type CommandKind<F extends z.ZodType = z.ZodType> = Drafted<F> | Patched<F>;

/** Gives a kind of command the type of what it carries. */
export const command = <F extends z.ZodType>(kind: CommandKind<F>): CommandKind<F> => kind;
