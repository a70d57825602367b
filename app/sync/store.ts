import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { BufferedEvent, Listening, Roll, Taking } from '~~/core/lookback/buffer';
import type { Command } from '~~/core/song/changes';
import type { LayerEvent } from '~~/core/takes/layer';
import type { Seconds } from '~~/core/time/units';
import { groupOf, withRequest } from './refusedRequests';

/** A request that has to reach the server, in its turn. */
export interface QueuedRequest {
  readonly songId: string;
  readonly method: 'POST' | 'PUT';
  readonly path: string;
  /** Sent as JSON; where it brings bytes those are sent, and this says what they are. */
  readonly body: unknown;
  /** The pass that it belongs to: what is refused of one is set aside together. */
  readonly pass?: string;
  readonly bytes?: ArrayBuffer;
  /** The key of its bytes, where they lie in the browser's storage: beside it, so that it is moved without them. */
  readonly bytesAt?: number;
  /** Command that made a change, so that it can be made again on a newer song. */
  readonly command?: Command;
}

/** A row of what the server refused of one pass, or of a song's changes, until it is decided on. */
export interface Parked {
  readonly id: string;
  readonly songId: string;
  readonly kind: 'pass' | 'change';
  /** The server's words. */
  readonly reason: string;
  /** Time of the first refusal, as an ISO date and time. */
  readonly at: string;
  /** The number of its requests; stored under the name that it had first, as the stores below are. */
  readonly errands: number;
  readonly notes: number;
  /** The length of its sound. */
  readonly sound: Seconds;
  /** The opening of a layer is among it: where there are notes, a take can be made of them. */
  readonly isTake: boolean;
}

/** An event of an open layer that no request carries yet. */
export interface Arrival {
  readonly songId: string;
  readonly layerId: string;
  readonly pass?: string;
  /** The numbered chunk it will travel in. */
  readonly chunk: number;
  readonly event: LayerEvent;
}

/** Facts of look-back beside its events. */
export interface BufferFacts {
  /** The window that wrote it: each writes its own, and whoever reads puts them together. */
  readonly by: string;
  readonly rolls: readonly Roll[];
  readonly listenings: readonly Listening[];
  readonly takings: readonly Taking[];
}

export interface LocalSchema extends DBSchema {
  errands: { key: number; value: QueuedRequest; indexes: { songId: string } };
  /** The bytes that requests bring, whether they wait or were refused. */
  bytes: { key: number; value: ArrayBuffer };
  parked: { key: string; value: Parked };
  /** Requests that were refused, in that order. */
  parkedErrands: { key: number; value: ParkedRequest; indexes: { of: string } };
  arrivals: { key: number; value: Arrival; indexes: { layerId: string } };
  /** Messages of the keyboards, for look-back: a few events at a time. */
  held: { key: number; value: readonly BufferedEvent[] };
  /** Facts about them: rolls, who was listening, and what was taken. */
  heldFacts: { key: string; value: BufferFacts };
}

export interface ParkedRequest {
  readonly of: string;
  readonly errand: QueuedRequest;
}

let opened: Promise<IDBPDatabase<LocalSchema>> | undefined;

/** Database of this browser, for what the server has not got yet. */
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
        // Before, the requests lay in the rows.
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
    // Another window brings a newer version: this one lets go, and opens it again when it is asked.
    blocking: () => {
      void opened?.then((db) => db.close());
      opened = undefined;
    },
  }).catch((error: unknown) => {
    opened = undefined;
    throw error;
  }));

/** Address of a layer's numbered chunk of events. */
export const chunkPath = (layerId: string, chunk: number): string =>
  `/api/layers/${encodeURIComponent(layerId)}/chunks/${chunk}`;

/** Address of a recording's numbered piece, which begins at a frame. */
export const piecePath = (recording: string, sequence: number, frame: number): string =>
  `/api/recordings/${recording}/pieces/${sequence}?frame=${frame}`;

/** Address for saying that a layer is still being recorded. */
export const alivePath = (layerId: string): string => `/api/layers/${encodeURIComponent(layerId)}/alive`;

/** Test for requests of a song that still have to reach the server. */
export const anyQueued = async (songId: string): Promise<boolean> =>
  (await (await localStore()).countFromIndex('errands', 'songId', songId)) > 0;
