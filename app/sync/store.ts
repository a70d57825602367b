import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { BufferedEvent, Listening, Roll, Taking } from '~~/core/lookback/buffer';
import type { Command } from '~~/core/song/changes';
import type { LayerEvent } from '~~/core/takes/layer';
import type { Seconds } from '~~/core/time/units';
import { groupOf, withRequest } from './refusedRequests';

/** Request that is queued for the server. */
export interface QueuedRequest {
  readonly songId: string;
  readonly method: 'POST' | 'PUT';
  readonly path: string;
  /** Content sent as JSON; for a request with bytes, its description. */
  readonly body: unknown;
  /** Pass that it belongs to: refused requests of one pass are set aside together. */
  readonly pass?: string;
  readonly bytes?: ArrayBuffer;
  /** Key of its bytes, stored apart so that the request can be moved without them. */
  readonly bytesAt?: number;
  /** Command that made a change, with which it can be made again on a newer song. */
  readonly command?: Command;
}

/** Row of refused requests of one pass, or of a song's changes, until the player decides. */
export interface Parked {
  readonly id: string;
  readonly songId: string;
  readonly kind: 'pass' | 'change';
  /** The server's words. */
  readonly reason: string;
  /** Time of the first refusal, as an ISO date and time. */
  readonly at: string;
  /** Number of its requests. The stored field keeps its first name, as the stores below do. */
  readonly errands: number;
  readonly notes: number;
  /** Length of its sound. */
  readonly sound: Seconds;
  /** True if a layer's opening is among them: with notes, a take can be made of it. */
  readonly isTake: boolean;
}

/** Event of an open layer that is in no request yet. */
export interface Arrival {
  readonly songId: string;
  readonly layerId: string;
  readonly pass?: string;
  /** Number of the chunk that it will be sent in. */
  readonly chunk: number;
  readonly event: LayerEvent;
}

/** Facts of look-back beside its events. */
export interface BufferFacts {
  /** Window that wrote it. Each window writes its own facts, and readers merge them. */
  readonly by: string;
  readonly rolls: readonly Roll[];
  readonly listenings: readonly Listening[];
  readonly takings: readonly Taking[];
}

export interface LocalSchema extends DBSchema {
  errands: { key: number; value: QueuedRequest; indexes: { songId: string } };
  /** Bytes of requests, queued or refused. */
  bytes: { key: number; value: ArrayBuffer };
  parked: { key: string; value: Parked };
  /** Refused requests, in the order of refusal. */
  parkedErrands: { key: number; value: ParkedRequest; indexes: { of: string } };
  arrivals: { key: number; value: Arrival; indexes: { layerId: string } };
  /** Messages of the keyboards for look-back, a few events in a row. */
  held: { key: number; value: readonly BufferedEvent[] };
  /** Facts about those events: rolls, armed parts, and takings. */
  heldFacts: { key: string; value: BufferFacts };
}

export interface ParkedRequest {
  readonly of: string;
  readonly errand: QueuedRequest;
}

let opened: Promise<IDBPDatabase<LocalSchema>> | undefined;

/** Database of this browser for what the server has not got yet. */
export const localStore = (): Promise<IDBPDatabase<LocalSchema>> =>
  (opened ??= openDB<LocalSchema>('tall-kettle', 4, {
    async upgrade(db, before, _, tx) {
      if (before < 1) {
        db.createObjectStore('errands', { autoIncrement: true });
        db.createObjectStore('arrivals', { autoIncrement: true }).createIndex('layerId', 'layerId');
      }
      if (before < 2) {
        db.createObjectStore('held', { autoIncrement: true });
        db.createObjectStore('heldFacts');
      }
      if (before < 3) db.createObjectStore('parked', { keyPath: 'id' });
      if (before < 4) {
        tx.objectStore('errands').createIndex('songId', 'songId');
        db.createObjectStore('bytes', { autoIncrement: true });
        const requests = db.createObjectStore('parkedErrands', { autoIncrement: true });
        requests.createIndex('of', 'of');
        const parked = tx.objectStore('parked');
        // Version 3 and older kept the requests inside the rows.
        const rows = (await parked.getAll()) as unknown as (Omit<Parked, 'errands'> & { errands: QueuedRequest[] })[];
        await parked.clear();
        for (const { errands: all, ...of } of rows) {
          for (const request of all) {
            const id = groupOf(request).id;
            const there = await parked.get(id);
            await parked.put(withRequest(there, { ...of, ...groupOf(request) }, request));
            await requests.add({ of: id, errand: request });
          }
        }
      }
    },
    // Another window opens a newer version of the database: this one closes it, and opens it again when needed.
    blocking: () => {
      void opened?.then((db) => db.close());
      opened = undefined;
    },
  }).catch((error: unknown) => {
    opened = undefined;
    throw error;
  }));

/** URL of a layer's numbered chunk of events. */
export const chunkPath = (layerId: string, chunk: number): string =>
  `/api/layers/${encodeURIComponent(layerId)}/chunks/${chunk}`;

/** URL of a recording's numbered piece, which begins at a sample frame. */
export const piecePath = (recording: string, sequence: number, frame: number): string =>
  `/api/recordings/${recording}/pieces/${sequence}?frame=${frame}`;

/** URL by which a browser says that it is still recording a layer. */
export const alivePath = (layerId: string): string => `/api/layers/${encodeURIComponent(layerId)}/alive`;

/** Test for a song with queued requests. */
export const anyQueued = async (songId: string): Promise<boolean> =>
  (await (await localStore()).countFromIndex('errands', 'songId', songId)) > 0;
