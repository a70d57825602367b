import type { SongDocument } from '~~/core/document/document';
import { change, readCommand } from '~~/core/song/changes';
import type { Waiting } from './queue';
import type { QueuedRequest } from './store';

/** A song as the server has it. */
export interface Newer {
  readonly document: SongDocument;
  readonly revision: number;
  /** Id of the change that made this revision. */
  readonly lastChange: string | null;
}

/** Result of making waiting changes again on the server's newer song. */
export interface Remade {
  /** Changes made again, each on top of the one before. */
  readonly again: readonly Waiting[];
  /** Undo and redo requests that are dropped: they have no command, and refer to a history that has changed. */
  readonly undos: readonly number[];
  /** Changes that cannot be made any more, each with the reason in words. */
  readonly failed: readonly { readonly key: number; readonly why: string }[];
}

/** Test for a request that changes the song's document. */
export const isChange = ({ path }: QueuedRequest): boolean => path.endsWith('/changes');

/** Makes the waiting changes of a song again on the server's newer version. */
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
