import type { SongDocument } from '~~/core/document/document';
import { change, readCommand } from '~~/core/song/changes';
import type { Waiting } from './queue';
import type { QueuedRequest } from './store';

/** A song as the server has it. */
export interface Newer {
  readonly document: SongDocument;
  readonly revision: number;
  /** The id of the change that made this revision. */
  readonly lastChange: string | null;
}

/** Outcome of making waiting changes again, once the server's song is newer than the one they were made on. */
export interface Remade {
  /** Changes made again, each on the one before. */
  readonly again: readonly Waiting[];
  /** Undo and redo have no command to make again, and mean a history that is no longer the same. */
  readonly undos: readonly number[];
  /** Changes that can no longer be made, with why, in words. */
  readonly failed: readonly { readonly key: number; readonly why: string }[];
}

/** Test for a request that is a change of the song's document. */
export const isChange = ({ path }: QueuedRequest): boolean => path.endsWith('/changes');

/** Makes the waiting changes of a song again on a newer one. */
export function remake(newer: Newer, waiting: readonly Waiting[]): Remade {
  const again: Waiting[] = [];
  const undos: number[] = [];
  const failed: { key: number; why: string }[] = [];
  let { document, revision, lastChange } = newer;
  for (const { key, request } of waiting) {
    if (!request.command) {
      undos.push(key);
      continue;
    }
    try {
      const made = change(document, readCommand(request.command));
      const body = {
        ...(request.body as object),
        base: revision,
        after: lastChange,
        patches: made.patches,
        inverse: made.inverse,
      };
      again.push({ key, request: { ...request, body } });
      document = made.document;
      revision += 1;
      lastChange = (request.body as { id?: string }).id ?? null;
    } catch (error) {
      failed.push({ key, why: error instanceof Error ? error.message : String(error) });
    }
  }
  return { again, undos, failed };
}
