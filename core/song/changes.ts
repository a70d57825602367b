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

/** All commands that change a song, by family. */
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

/** Command: its type, and the fields of that type. */
export type Command = {
  [T in CommandType]: { readonly type: T } & Readonly<z.output<Commands[T]['fields']>>;
}[CommandType];

const kindOfCommand = (type: CommandType): CommandKind => COMMANDS[type] as unknown as CommandKind;
const typeSchema = z.looseObject({ type: z.enum(Object.keys(COMMANDS) as [CommandType, ...CommandType[]]) });

/** Command from storage. @throws ZodError for anything else */
export function readCommand(stored: unknown): Command {
  const { type, ...fields } = typeSchema.parse(stored);
  return { type, ...(kindOfCommand(type).fields.parse(fields) as object) } as Command;
}

/**
 * Carries out a command.
 * @throws UnknownThing for a part, take or backing that the song does not have
 * @throws ZodError where the song would not be valid afterwards
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

/**
 * Kind of a command. Settings change other fields of the song than takes, comp and treatments, so that Undo can step
 * over them.
 */
export const kindOf = ({ type }: Command): 'do' | 'set' => (kindOfCommand(type).undo === undefined ? 'set' : 'do');

/** Name of a command in the history. */
export const nameOf = (command: Command): string => kindOfCommand(command.type).nameOf?.(command) ?? command.type;

/** Test for a history row of a lap, which is undone together with the pass's other laps. */
export const isLap = (name: string): boolean => name.startsWith(LAP);

/** Label of Undo for a history row of this name. */
export function undoLabel(name: string): string {
  if (isLap(name)) return 'the last lap';
  if (name.startsWith(BY_HAND)) return name.slice(BY_HAND.length);
  return (name in COMMANDS && kindOfCommand(name as CommandType).undo) || 'the last change';
}
