import { computed, ref } from 'vue';
import type { Backup } from '~~/server/store/backups';
import type { DiskUse } from '~~/server/store/diskUse';
import type { BackupSong } from '~~/server/store/restoring';
import type { Run } from '~~/server/handover/runs';
import type { Which, Wish } from '~~/server/handover/source';
import type { JobSummary } from '~~/server/store/jobs';
import type { LayerFacts, StoredLayer } from '~~/server/store/layers';
import type { OpenRecording } from '~~/server/store/recordings';
import type { Steps, StoredSong } from '~~/server/store/songs';
import type { StoredVersion } from '~~/server/store/versions';
import type { Stacks } from '~~/core/song/history';
import { unship, type Shipped } from '~~/core/takes/shipped';
import type { Recording } from '~~/core/takes/sound';
import type { Milliseconds } from '~~/core/time/units';
import { fetchedBytes } from '~~/engine/fetchedBytes';

export type {
  Backup,
  BackupSong,
  DiskUse,
  JobSummary,
  OpenRecording,
  Run,
  Steps,
  StoredLayer,
  StoredSong,
  StoredVersion,
  Which,
  Wish,
};
type OpenedFacts = StoredSong & {
  readonly job: string;
  readonly recordings: readonly Recording[];
  readonly openRecordings: readonly OpenRecording[];
  readonly stacks: Stacks;
  /** Number of undo steps before those. */
  readonly older: number;
};
export type OpenedSong = Shipped<OpenedFacts, LayerFacts>;

/** Error of a request that the server refused or did not answer. Its message is meant for the screen. */
export class ServerSaid extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

/** Test for an error that may be gone at the next try: the server is away, or cannot answer now. */
export const isPassing = ({ status }: ServerSaid): boolean => status === 0 || status >= 500;

const asked = ref(0);
/** True while a request is under way. */
export const isAsking = computed(() => asked.value > 0);

function answeredBy<T>(read: (response: Response) => Promise<T>, path: string, request: RequestInit): Promise<T> {
  asked.value += 1;
  return answerOf(read, path, request).finally(() => {
    asked.value -= 1;
  });
}

async function answerOf<T>(read: (response: Response) => Promise<T>, path: string, request: RequestInit): Promise<T> {
  const away = (): never => {
    throw new ServerSaid(
      'The server is away. What this browser holds is safe. Start the server again, then try once more.',
      0,
    );
  };
  const response = await fetch(path, request).catch(away);
  // The connection can end in mid-answer.
  if (response.ok) return read(response).catch(away);
  // An answer that is not JSON has no words; its status stands for them.
  const answer = (await response.json().catch(() => ({}))) as { message?: string };
  throw new ServerSaid(answer.message ?? response.statusText, response.status);
}

const answered = <T>(path: string, request: RequestInit): Promise<T> =>
  answeredBy((response) => response.json() as Promise<T>, path, request);

/** Longest wait for an answer. */
const PATIENCE: Milliseconds = 30_000;

/**
 * Song with its layers.
 * @param told called with the share that has arrived, 0 to 1
 * @throws ServerSaid
 */
export const askSong = (id: string, told: (share: number) => void): Promise<OpenedSong> =>
  answeredBy((response) => fetchedBytes(response, told), `/api/songs/${encodeURIComponent(id)}`, {
    headers: { accept: 'application/octet-stream' },
    signal: AbortSignal.timeout(PATIENCE),
  }).then((bytes) => unship<OpenedFacts, LayerFacts>(new Uint8Array(bytes)));

/** Revision of a song: the number of its last change. @throws ServerSaid */
export const askRevision = (id: string): Promise<{ readonly revision: number }> =>
  answered(`/api/songs/${encodeURIComponent(id)}/revision`, { signal: AbortSignal.timeout(PATIENCE) });

/** @throws ServerSaid with words for the screen; its status is 0 while the server is away */
export const ask = <T>(
  path: string,
  body?: unknown,
  method = body === undefined ? 'GET' : 'POST',
  how: RequestInit = {},
): Promise<T> =>
  answered(path, {
    method,
    ...how,
    ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } }),
  });

/** Delay before a server that is away is asked again. */
const ASK_AGAIN: Milliseconds = 2000;

/**
 * Repeats a request until it is answered, for what the program cannot do without.
 * @param failed called once if the first try gets no answer
 * @throws ServerSaid where the server refuses
 */
export async function askSurely<T>(path: string, failed: (error: ServerSaid) => void): Promise<T> {
  for (let told = false; ; told = true) {
    try {
      return await ask<T>(path);
    } catch (error) {
      if (!(error instanceof ServerSaid) || !isPassing(error)) throw error;
      if (!told) failed(error);
      await new Promise((done) => setTimeout(done, ASK_AGAIN));
    }
  }
}

/** Sends bytes; a file is streamed from disk. @throws ServerSaid */
export const sendBytes = <T>(path: string, bytes: Blob | Uint8Array, method = 'POST'): Promise<T> =>
  answered(path, {
    method,
    body: bytes as BodyInit,
    headers: { 'content-type': 'application/octet-stream' },
  });

export const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
