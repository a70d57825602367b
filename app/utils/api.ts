import type { JobSummary } from '~~/server/store/jobs';
import type { StoredLayer } from '~~/server/store/layers';
import type { StoredSong } from '~~/server/store/songs';
import type { HistoryRow } from '~~/core/song/changes';

export type { JobSummary, StoredLayer, StoredSong };
export type OpenedSong = StoredSong & { readonly job: string; readonly layers: readonly StoredLayer[]; readonly history: readonly HistoryRow[] };

/** The server did not answer, or said no; the message is for the person. */
export class ServerSaid extends Error {
  constructor(message: string, readonly status: number) {
    super(message);
  }
}

/** @throws ServerSaid with words for the screen; its status is 0 when the server is away */
export async function ask<T>(path: string, body?: unknown, method = body === undefined ? 'GET' : 'POST'): Promise<T> {
  const response = await fetch(path, {
    method,
    ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } }),
  }).catch(() => undefined);
  if (!response) throw new ServerSaid('The server is away. What this browser holds is safe. Start the server again, then try once more.', 0);
  if (response.ok) return await response.json() as T;
  const answer = await response.json().catch(() => ({})) as { message?: string };
  throw new ServerSaid(answer.message ?? response.statusText, response.status);
}

export const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
