import { produceWithPatches } from 'immer';
import { z } from 'zod';
import { songSchema, type SongDocument } from '../document/document';
import { backingCommands } from './commands/backings';
import { clientNoteCommands } from './commands/clientNotes';
import { sheetCommands } from './commands/sheet';
import type { CommandKind } from './commands/command';
import { compCommands } from './commands/comp';
import { BY_HAND, editCommands } from './commands/edits';
import { formCommands } from './commands/form';
import { partCommands } from './commands/parts';
import { LAP, recordingCommands } from './commands/recording';
import { takeCommands } from './commands/takes';
import { timingCommands } from './commands/timing';
import type { SongDraft } from './draft';
import type { Change } from './history';
import { withListsById } from './listPatches';

/** Every way in which a song changes, by family. */
export const COMMANDS = {
  ...recordingCommands,
  ...compCommands,
  ...takeCommands,
  ...editCommands,
  ...timingCommands,
  ...backingCommands,
  ...formCommands,
  ...clientNoteCommands,
  ...sheetCommands,
  ...partCommands,
};
type Commands = typeof COMMANDS;
type CommandType = keyof Commands;

/** A command: its type, and what its family says it carries. */
export type Command = {
  [T in CommandType]: { readonly type: T } & Readonly<z.output<Commands[T]['fields']>>;
}[CommandType];

const kindOfCommand = (type: CommandType): CommandKind => COMMANDS[type] as unknown as CommandKind;
const typeSchema = z.looseObject({ type: z.enum(Object.keys(COMMANDS) as [CommandType, ...CommandType[]]) });

/** A command from storage. @throws ZodError when it is none */
export function readCommand(stored: unknown): Command {
  const { type, ...fields } = typeSchema.parse(stored);
  return { type, ...(kindOfCommand(type).fields.parse(fields) as object) } as Command;
}

/**
 * Carries out a command.
 * @throws UnknownThing when it names a part, take or backing the song does not have
 * @throws ZodError when the song would not be valid afterwards
 */
export function change(document: SongDocument, command: Command): Change {
  const kind = kindOfCommand(command.type);
  const [next, patches, inverse] = produceWithPatches(document, (draft) => {
    kind.carryOut(draft as SongDraft, command);
  });
  songSchema.parse(next);
  return {
    document: next,
    patches: withListsById(patches, document, next),
    inverse: withListsById(inverse, next, document),
  };
}

/** Settings touch other places in the song than takes, comp and treatments do, so undo can step over them. */
export const kindOf = ({ type }: Command): 'do' | 'set' => (kindOfCommand(type).undo === undefined ? 'set' : 'do');

/** Name of a command in the history. */
export const nameOf = (command: Command): string => kindOfCommand(command.type).nameOf?.(command) ?? command.type;

/** Test for a row of the history that is a lap of a pass, which goes back together with the pass's other laps. */
export const isLap = (name: string): boolean => name.startsWith(LAP);

/** Label of what Undo takes back, for a row of the history by this name. */
export function undoLabel(name: string): string {
  if (isLap(name)) return 'the last lap';
  if (name.startsWith(BY_HAND)) return name.slice(BY_HAND.length);
  return (name in COMMANDS && kindOfCommand(name as CommandType).undo) || 'the last change';
}
