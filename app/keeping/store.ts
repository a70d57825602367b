import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { BufferedEvent, Listening, Roll, Taking } from '~~/core/lookback/buffer';
import type { Command } from '~~/core/song/changes';
import type { LayerEvent } from '~~/core/takes/layer';

/** A request that has to reach the server, in its turn. */
export interface Errand {
  readonly songId: string;
  readonly method: 'POST' | 'PUT';
  readonly path: string;
  readonly body: unknown;
  /** What a change was made by, so that it can be made again on a newer song. */
  readonly command?: Command;
}

/** An event of an open layer that no errand carries yet. */
export interface Arrival {
  readonly songId: string;
  readonly layerId: string;
  /** The numbered chunk it will travel in. */
  readonly chunk: number;
  readonly event: LayerEvent;
}

/** What look-back has to know beside the events. */
export interface BufferFacts {
  readonly rolls: readonly Roll[];
  readonly listenings: readonly Listening[];
  readonly takings: readonly Taking[];
}

export interface Kept extends DBSchema {
  errands: { key: number; value: Errand };
  arrivals: { key: number; value: Arrival; indexes: { layerId: string } };
  /** What the keyboards sent, for look-back: a few events at a time. */
  held: { key: number; value: readonly BufferedEvent[] };
  /** What belongs to them: rolls, who was listening, and what was taken. */
  heldFacts: { key: string; value: BufferFacts };
}

let opened: Promise<IDBPDatabase<Kept>> | undefined;

/** What this browser holds until the server has it. */
export const localStore = (): Promise<IDBPDatabase<Kept>> =>
  (opened ??= openDB<Kept>('tall-kettle', 2, {
    upgrade(db, before) {
      if (before < 1) {
        db.createObjectStore('errands', { autoIncrement: true });
        db.createObjectStore('arrivals', { autoIncrement: true }).createIndex('layerId', 'layerId');
      }
      db.createObjectStore('held', { autoIncrement: true });
      db.createObjectStore('heldFacts');
    },
  }));

/** Where a layer's numbered chunk of events goes at the server. */
export const chunkPath = (layerId: string, chunk: number): string =>
  `/api/layers/${encodeURIComponent(layerId)}/chunks/${chunk}`;

/** Whether something still has to reach the server. */
export const anyErrands = async (): Promise<boolean> => (await (await localStore()).count('errands')) > 0;
