import 'fake-indexeddb/auto';
import { IDBFactory } from 'fake-indexeddb';
import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { newSong, type SongDocument } from '~~/core/document/document';
import type { BufferedEvent } from '~~/core/lookback/buffer';
import { change, kindOf, nameOf, type Command } from '~~/core/song/changes';
import { patched, type Patch } from '~~/core/song/history';
import type { LayerEvent } from '~~/core/takes/layer';
import type { Keeper, Said } from './keeper';
import type { QueuedRequest, Parked } from './store';

/** Request to the server, in order, with its answer. */
interface Sent {
  readonly method: string;
  readonly path: string;
  readonly body: { readonly [key: string]: unknown };
}
type Answer =
  { readonly status: number; readonly message?: string; readonly data?: unknown; readonly open?: boolean } | 'away';

/** Lock that one at a time holds, as in a browser: a keeper that is gone and the next one never send the same thing. */
let lock: Promise<unknown> = Promise.resolve();
const request = (_name: string, work: () => unknown): Promise<unknown> => {
  const done = lock.then(work);
  // The test that holds it sees the error.
  lock = done.catch(() => {});
  return done;
};

let sent: Sent[];
let answer: (request: Sent) => Answer;
const OK: Answer = { status: 200 };
const taken = (): string[] => sent.map(({ method, path }) => `${method} ${path.replace('/api/', '')}`);

beforeEach(() => {
  sent = [];
  answer = () => OK;
  vi.resetModules();
  vi.stubGlobal('indexedDB', new IDBFactory());
  vi.stubGlobal('navigator', { locks: { request } });
  vi.stubGlobal(
    'fetch',
    async (path: string, { method = 'GET', body }: { method?: string; body?: string | ArrayBuffer }) => {
      const request = { method, path, body: JSON.parse(typeof body === 'string' ? body : '{}') as Sent['body'] };
      const answered = answer(request);
      if (path === '/api/alive' && answered !== 'away') return new Response('{}');
      if (answered === 'away') throw new TypeError('Failed to fetch');
      if (answered.status < 400) sent.push(request);
      const { status, message, data, open } = answered;
      return new Response(JSON.stringify({ message, data, open }), { status, statusText: 'No' });
    },
  );
});
// The stand-ins stay: what a keeper has put off to later may come when its test is over.
afterEach(() => {
  vi.restoreAllMocks();
});

async function keeper(): Promise<{ keeper: Keeper; said: Said[] }> {
  const { Keeper: Made } = await import('./keeper');
  const said: Said[] = [];
  const made = new Made();
  made.listen((word) => said.push(word));
  return { keeper: made, said };
}

const event = (at: number): LayerEvent => ({ at, message: { type: 'noteOn', key: 60, velocity: 80 } });
const arrival = (layerId: string, at: number) => ({ songId: 's', layerId, event: event(at) });
const write = (to: Keeper, layerId: string, ...times: number[]): Promise<void> =>
  to.write({ arrivals: times.map((at) => arrival(layerId, at)), buffered: [], facts: null });
const opening = (id: string): QueuedRequest => ({ songId: 's', method: 'POST', path: '/api/layers', body: { id } });
const closing = (id: string): QueuedRequest => ({
  songId: 's',
  method: 'POST',
  path: `/api/layers/${id}/close`,
  body: {},
});
const timesSent = (layer: string): number[] =>
  sent
    .filter((r) => r.path.startsWith(`/api/layers/${layer}/chunks/`))
    .flatMap((r) => (r.body.events as LayerEvent[]).map((e) => e.at));

const song = newSong('Lamps on the Causeway', 'piano');
/** A change as the page hands it over, made on a document. */
function changing(document: SongDocument, base: number, command: Command, songId = 's'): QueuedRequest {
  const { patches, inverse } = change(document, command);
  const body = { base, kind: kindOf(command), name: nameOf(command), patches, inverse };
  return { songId, method: 'POST', path: `/api/songs/${songId}/changes`, body, command };
}

describe('the order', () => {
  it('is that of the calls: a layer’s events before its closing, its closing before its take', async () => {
    const { keeper: k } = await keeper();
    void k.enqueue(opening('a'));
    void write(k, 'a', 1, 2);
    void k.finish('a', closing('a'));
    void k.enqueue(changing(song, 0, { type: 'set length', bars: 12 }));
    expect(await k.carry()).toBe('kept');
    expect(taken()).toEqual(['POST layers', 'PUT layers/a/chunks/1', 'POST layers/a/close', 'POST songs/s/changes']);
    expect(timesSent('a')).toEqual([1, 2]);
  });

  it('sends each event once, whenever it came, and whenever the server was away', async () => {
    const step = fc.constantFrom('event', 'event', 'carry', 'away', 'back');
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 30 }), async (steps) => {
        vi.resetModules();
        vi.stubGlobal('indexedDB', new IDBFactory());
        sent = [];
        let away = false;
        answer = () => (away ? 'away' : OK);
        const { keeper: k } = await keeper();
        await k.enqueue(opening('a'));
        let at = 0;
        for (const what of steps) {
          if (what === 'event') await write(k, 'a', (at += 1));
          else if (what === 'carry') await k.rescue('a').then(() => k.carry());
          else away = what === 'away';
        }
        away = false;
        await k.finish('a', closing('a'));
        expect(await k.carry()).toBe('kept');
        expect(timesSent('a')).toEqual(Array.from({ length: at }, (_, i) => i + 1));
        expect(taken().at(-1)).toBe('POST layers/a/close');
      }),
      { numRuns: 40 },
    );
  });

  it('packs what comes four times a second, each pack a chunk of its own', async () => {
    const { keeper: k } = await keeper();
    await k.enqueue(opening('a'));
    await write(k, 'a', 1);
    await vi.waitFor(() => expect(timesSent('a')).toEqual([1]));
    await write(k, 'a', 2, 3);
    await vi.waitFor(() => expect(timesSent('a')).toEqual([1, 2, 3]));
    expect(taken()).toEqual(['POST layers', 'PUT layers/a/chunks/1', 'PUT layers/a/chunks/2']);
  });

  it('cuts a layer that is whole already into pieces', async () => {
    const { keeper: k } = await keeper();
    const events = Array.from({ length: 12_000 }, (_, i) => event(i));
    await k.events('s', 'a', events);
    await k.carry();
    expect(sent.map((r) => (r.body.events as unknown[]).length)).toEqual([5000, 5000, 2000]);
    expect(timesSent('a')).toEqual(events.map((e) => e.at));
  });
});

describe('a server that is away', () => {
  it('is told, and sent everything when it is back', async () => {
    const { keeper: k, said } = await keeper();
    answer = () => 'away';
    await k.enqueue(opening('a'));
    expect(await k.carry()).toBe('away');
    expect(said.at(-1)).toEqual({ type: 'state', state: 'away', why: '' });
    answer = () => OK;
    await vi.waitFor(() => expect(said.at(-1)).toEqual({ type: 'state', state: 'kept', why: '' }), { timeout: 5000 });
    expect(taken()).toEqual(['POST layers']);
  });

  it('is told apart from one that is in trouble, which is asked again', async () => {
    const { keeper: k, said } = await keeper();
    answer = () => ({ status: 503, message: 'The server’s disk is full.' });
    await k.enqueue(opening('a'));
    expect(await k.carry()).toBe('trouble');
    expect(said.at(-1)).toEqual({ type: 'state', state: 'trouble', why: 'The server’s disk is full.' });
    answer = () => OK;
    expect(await k.carry()).toBe('kept');
    expect(taken()).toEqual(['POST layers']);
  });
});

describe('a refusal', () => {
  const refusedIn = (said: readonly Said[]): Parked[] => said.flatMap((s) => (s.type === 'refused' ? [s.parked] : []));

  it('is put aside in the server’s words with all that belongs to it, and what comes after it goes on', async () => {
    const { keeper: k, said } = await keeper();
    answer = ({ path }) => (path.startsWith('/api/layers/b') ? OK : { status: 400, message: 'It has no name.' });
    void k.enqueue({ ...opening('a'), body: { header: { id: 'a' } } });
    void k.events('s', 'a', [event(1), event(2)]);
    void k.enqueue(closing('a'));
    void k.enqueue(closing('b'));
    expect(await k.carry()).toBe('kept');
    expect(refusedIn(said)[0]).toMatchObject({ id: 'pass a', kind: 'pass', reason: 'It has no name.' });
    expect(taken()).toEqual(['POST layers/b/close']);
    const [parked] = await k.parked();
    expect(parked).toMatchObject({ errands: 3, notes: 2, sound: 0, isTake: true });
    expect((await k.parkedRequests('pass a')).map((e) => e.path)).toEqual([
      '/api/layers',
      '/api/layers/a/chunks/1',
      '/api/layers/a/close',
    ]);

    // Tried again while the server still says no, nothing of it is gone.
    await k.tryAgain('pass a');
    expect(await k.parked()).toEqual([{ ...parked, at: expect.any(String) }]);

    // It is there the next day, and goes through when the server has changed its mind.
    vi.resetModules();
    const { keeper: next } = await keeper();
    answer = () => OK;
    await next.tryAgain('pass a');
    expect(await next.parked()).toEqual([]);
    expect(taken().slice(1)).toEqual(['POST layers', 'PUT layers/a/chunks/1', 'POST layers/a/close']);
    expect(timesSent('a')).toEqual([1, 2]);
  });

  it('of a pass is one thing, whatever layers and sound it had; its bytes are moved by nobody', async () => {
    const { keeper: k } = await keeper();
    answer = () => ({ status: 404, message: 'That song is not there.' });
    const moved = vi.spyOn(IDBObjectStore.prototype, 'put');
    const pass = 'one pass';
    for (const id of ['a', 'b']) void k.enqueue({ ...opening(id), pass, body: { header: { id } } });
    const piece = (n: number): QueuedRequest => ({
      ...{ songId: 's', pass, method: 'PUT', path: `/api/recordings/r/pieces/${n}?frame=${n * 100}` },
      ...{ body: { rate: 100, channels: 1, frame: n * 100, frames: 100 }, bytes: new Float32Array(100).fill(n).buffer },
    });
    for (let n = 0; n < 200; n += 1) void k.enqueue(piece(n));
    expect(await k.carry()).toBe('kept');
    expect(await k.parked()).toMatchObject([{ id: 'pass one pass', errands: 202, sound: 200 }]);
    // Each is put aside by writing one short row anew.
    expect(Math.max(...moved.mock.calls.map(([row]) => JSON.stringify(row).length))).toBeLessThan(250);
    const [file] = await k.parkedSound('pass one pass', '2026-01-01T00:00:00Z');
    expect(new Float32Array(file!.slice(file!.length - 80_000).buffer)[19_950]).toBe(199);
    answer = () => OK;
    await k.tryAgain('pass one pass');
    expect(await k.parked()).toEqual([]);
    expect(sent).toHaveLength(202);
    const { localStore } = await import('./store');
    expect(await (await localStore()).count('bytes')).toBe(0);
  });

  it('that was put aside by an older version is there still', async () => {
    const { openDB } = await import('idb');
    const old = await openDB('tall-kettle', 3, {
      upgrade(db) {
        db.createObjectStore('errands', { autoIncrement: true });
        db.createObjectStore('arrivals', { autoIncrement: true }).createIndex('layerId', 'layerId');
        db.createObjectStore('held', { autoIncrement: true });
        db.createObjectStore('heldFacts');
        db.createObjectStore('parked', { keyPath: 'id' });
      },
    });
    const chunk = { songId: 's', method: 'PUT', path: '/api/layers/a/chunks/1', body: { events: [event(1)] } };
    const of = { songId: 's', reason: 'No.', at: '2026-01-01T00:00:00Z' };
    await old.put('parked', {
      ...of,
      id: 'layer a',
      kind: 'layer',
      errands: [{ ...opening('a'), body: { header: { id: 'a' } } }, chunk],
    });
    const sound = { songId: 's', method: 'PUT', path: '/api/recordings/r/pieces/1?frame=0' };
    const bytes = new Float32Array([1, 2]).buffer;
    await old.add('errands', { ...sound, body: { rate: 2, channels: 1, frame: 0 }, bytes });
    old.close();
    const { keeper: k } = await keeper();
    expect(await k.carry()).toBe('kept');
    expect(taken()).toEqual(['PUT recordings/r/pieces/1?frame=0']);
    expect(await k.parked()).toMatchObject([{ id: 'pass a', reason: 'No.', errands: 2, notes: 1 }]);
    await k.tryAgain('pass a');
    expect(taken().slice(1)).toEqual(['POST layers', 'PUT layers/a/chunks/1']);
  });

  it('stays until the player lets it go', async () => {
    const { keeper: k } = await keeper();
    answer = () => ({ status: 422, message: 'It does not fit.' });
    await k.enqueue(changing(song, 0, { type: 'set length', bars: 12 }));
    expect(await k.carry()).toBe('kept');
    expect(await k.parked()).toMatchObject([{ kind: 'change', reason: 'It does not fit.' }]);
    await k.letGo('changes of s');
    expect(await k.parked()).toEqual([]);
  });
});

describe('trouble with one song', () => {
  it('holds up nothing of another, whether the server fails at it or breaks it off', async () => {
    for (const failing of [{ status: 500 }, 'away'] as const) {
      vi.resetModules();
      vi.stubGlobal('indexedDB', new IDBFactory());
      sent = [];
      const { keeper: k } = await keeper();
      answer = ({ path }) => (path === '/api/songs/s/changes' ? failing : OK);
      void k.enqueue(changing(song, 0, { type: 'set length', bars: 12 }));
      void k.enqueue(opening('of s, behind it'));
      void k.enqueue(changing(song, 0, { type: 'set length', bars: 9 }, 'other'));
      expect(await k.carry()).toBe('trouble');
      expect(taken()).toEqual(['POST songs/other/changes']);
      expect((await k.waiting('s')).map((e) => e.path)).toEqual(['/api/songs/s/changes', '/api/layers']);
      answer = () => OK;
      expect(await k.carry()).toBe('kept');
      expect(taken().slice(1)).toEqual(['POST songs/s/changes', 'POST layers']);
    }
  });

  it('is no end of the queue when the answer makes no sense', async () => {
    const { keeper: k } = await keeper();
    answer = ({ path }) => (path === '/api/songs/s/changes' ? { status: 409, data: 'what?' } : OK);
    void k.enqueue(changing(song, 0, { type: 'set length', bars: 12 }));
    void k.enqueue(opening('a'));
    expect(await k.carry()).toBe('kept');
    expect(taken()).toEqual(['POST layers']);
    expect(await k.parked()).toHaveLength(1);
  });
});

describe('answers that are lost, late or doubled', () => {
  /** A server as it is meant: changes by id and by what they were made on, layers by number. */
  function modelServer() {
    const made: string[] = [];
    const chunks = new Map<string, readonly LayerEvent[]>();
    const others: { commands: Command[] } = { commands: [] };
    let document = song;
    const put = (id: string, next: SongDocument) => {
      document = next;
      made.push(id);
    };
    return {
      document: () => document,
      events: () => [...chunks.values()].flat().map((e) => e.at),
      /** Another window changes the song. */
      elsewhere(command: Command) {
        others.commands.push(command);
        put(`elsewhere ${made.length}`, change(document, command).document);
      },
      take({ path, body }: Sent): Answer {
        if (path.includes('/chunks/')) {
          if (!chunks.has(path)) chunks.set(path, body.events as LayerEvent[]);
          return OK;
        }
        if (!path.endsWith('/changes')) return OK;
        const { id, base, after } = body as { id: string; base: number; after: string | null };
        if (made.includes(id)) return OK;
        const lastChange = made.at(-1) ?? null;
        if (base !== made.length || after !== lastChange)
          return { status: 409, data: { document, revision: made.length, lastChange } };
        put(id, patched(document, body.patches as Patch[]));
        return OK;
      },
    };
  }

  it('leave the same song and the same notes as with none', async () => {
    const step = fc.oneof(
      fc.record({ do: fc.constant('bars' as const), n: fc.integer({ min: 1, max: 40 }) }),
      fc.record({ do: fc.constant('part' as const), n: fc.nat(1000) }),
      fc.record({ do: fc.constant('note' as const), n: fc.nat(3) }),
      fc.record({ do: fc.constant('elsewhere' as const), n: fc.nat(1000) }),
      fc.record({ do: fc.constant('wait' as const), n: fc.nat(3) }),
    );
    /** Fate of each request: its way there, its way back. */
    const fate = fc.constantFrom('well', 'well', 'well', 'lost on the way', 'answer lost', 'doubled');
    const runs = Number(process.env.WORLDS ?? 60);
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 14 }), fc.array(fate, { maxLength: 60 }), async (steps, fates) => {
        vi.resetModules();
        vi.stubGlobal('indexedDB', new IDBFactory());
        const server = modelServer();
        const waits = [...fates];
        answer = (request) => {
          if (request.path === '/api/alive') return 'away';
          const how = waits.shift() ?? 'well';
          if (how === 'lost on the way') return 'away';
          if (how === 'doubled') server.take(request);
          const answered = server.take(request);
          return how === 'answer lost' ? 'away' : answered;
        };
        const { keeper: k, said } = await keeper();
        let here: SongDocument = song;
        let revision = 0;
        let after: string | null = null;
        const mine: Command[] = [];
        const notes: number[] = [];
        await k.enqueue(opening('a'));
        const enter = (command: Command): void => {
          const request = changing(here, revision, command);
          const id = `mine ${mine.length}`;
          mine.push(command);
          here = change(here, command).document;
          void k.enqueue({ ...request, body: { ...(request.body as object), id, after } });
          revision += 1;
          after = id;
        };
        for (const { do: what, n } of steps) {
          if (what === 'bars') enter({ type: 'set length', bars: n });
          else if (what === 'part') enter({ type: 'add part', part: { id: `part ${mine.length}`, name: `Part ${n}` } });
          else if (what === 'elsewhere')
            server.elsewhere({
              type: 'add part',
              part: { id: `theirs ${n} ${server.document().parts.length}`, name: 'x' },
            });
          else if (what === 'wait') await k.carry();
          else {
            notes.push(notes.length + 1);
            await write(k, 'a', notes.length);
          }
        }
        await k.finish('a', closing('a'));
        for (let tries = 0; (await k.carry()) !== 'kept'; tries += 1) expect(tries).toBeLessThan(80);
        const { document } = server;
        expect(server.events()).toEqual(notes);
        // All of mine are in, each once and in their order, beside all of theirs.
        const names = (of: readonly { id: string }[]) => of.map((p) => p.id).filter((id) => id.startsWith('part'));
        expect(names(document().parts)).toEqual(names(here.parts));
        expect(new Set(document().parts.map((p) => p.id)).size).toBe(document().parts.length);
        const lastBars = mine.findLast((c) => c.type === 'set length');
        if (lastBars?.type === 'set length') expect(document().bars).toBe(lastBars.bars);
        expect(said.filter((s) => s.type === 'refused')).toEqual([]);
      }),
      { numRuns: runs },
    );
  }, 600_000);
});

describe('a change on a song that is newer at the server', () => {
  /** A server that another window has changed the song at. */
  function conflicting(newer: SongDocument, revision: number): void {
    let now = revision;
    answer = ({ path, body }) => {
      if (path !== '/api/songs/s/changes') return OK;
      if (body.base !== now)
        return { status: 409, message: 'It is newer.', data: { document: newer, revision, lastChange: 'theirs' } };
      now += 1;
      return OK;
    };
  }

  it('is made again on it from its command, with those that wait behind it', async () => {
    const { keeper: k, said } = await keeper();
    const other = change(song, { type: 'set song', to: { title: 'Marsh Light' } }).document;
    conflicting(other, 7);
    const first: Command = { type: 'set length', bars: 12 };
    const second: Command = { type: 'add part', part: { id: 'organ', name: 'Organ' } };
    void k.enqueue(changing(song, 3, first));
    void k.enqueue(changing(change(song, first).document, 4, second));
    expect(await k.carry()).toBe('kept');
    expect(sent.map((r) => r.body.base)).toEqual([7, 8]);
    expect(said).toContainEqual({ type: 'newer', songId: 's', undos: 0, failed: [] });
    const made = change(change(other, first).document, second);
    expect(sent[1]!.body.patches).toEqual(JSON.parse(JSON.stringify(made.patches)));
  });

  it('that names what is no longer there is left out, and said; the rest is made', async () => {
    const { keeper: k, said } = await keeper();
    conflicting({ ...song, parts: [] }, 7);
    void k.enqueue(changing(song, 3, { type: 'set part', part: 'piano', to: { muted: true } }));
    void k.enqueue(changing(song, 4, { type: 'set length', bars: 12 }));
    expect(await k.carry()).toBe('kept');
    expect(said).toContainEqual({
      type: 'newer',
      songId: 's',
      undos: 0,
      failed: ['That part is no longer in the song.'],
    });
    expect(sent.map((r) => [r.body.base, r.body.name])).toEqual([[7, 'set length']]);
  });

  it('that was an undo is left out, since its history is no longer the same', async () => {
    const { keeper: k, said } = await keeper();
    conflicting(song, 7);
    const undo = { ...changing(song, 3, { type: 'set length', bars: 12 }), command: undefined };
    void k.enqueue(undo);
    void k.enqueue(changing(song, 4, { type: 'set length', bars: 14 }));
    expect(await k.carry()).toBe('kept');
    expect(said).toContainEqual({ type: 'newer', songId: 's', undos: 1, failed: [] });
    expect(sent).toHaveLength(1);
  });

  it('whose stored command is none is left out, and stands in nobody’s way', async () => {
    const { keeper: k, said } = await keeper();
    conflicting(song, 7);
    const broken = { ...changing(song, 3, { type: 'set length', bars: 12 }), command: { type: 'sing' } };
    void k.enqueue(broken as unknown as QueuedRequest);
    void k.enqueue(opening('a'));
    expect(await k.carry()).toBe('kept');
    expect(said.find((s) => s.type === 'newer')).toMatchObject({ failed: [expect.any(String)] });
    expect(taken()).toEqual(['POST layers']);
  });

  it('leaves what waits of another song as it is', async () => {
    const { keeper: k } = await keeper();
    conflicting(song, 7);
    void k.enqueue(changing(song, 3, { type: 'set length', bars: 12 }));
    void k.enqueue(changing(song, 1, { type: 'set length', bars: 9 }, 'other'));
    await k.carry();
    expect(sent.map((r) => [r.path, r.body.base])).toEqual([
      ['/api/songs/s/changes', 7],
      ['/api/songs/other/changes', 1],
    ]);
  });
});

describe('storage that is full', () => {
  it('loses nothing while the server is well: it is sent from memory, in its order, and the risk is told', async () => {
    const { keeper: k, said } = await keeper();
    answer = () => 'away';
    const full = vi.spyOn(IDBObjectStore.prototype, 'add').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    void k.enqueue(opening('a'));
    await write(k, 'a', 1);
    await vi.waitFor(() => expect(said).toContainEqual({ type: 'risk', atRisk: true }));
    full.mockRestore();
    await write(k, 'a', 2);
    void k.finish('a', closing('a'));
    void k.enqueue(changing(song, 0, { type: 'set length', bars: 12 }));
    answer = () => OK;
    await vi.waitFor(async () => expect(await k.carry()).toBe('kept'));
    expect(timesSent('a')).toEqual([1, 2]);
    expect(taken()[0]).toBe('POST layers');
    expect(taken().slice(-2)).toEqual(['POST layers/a/close', 'POST songs/s/changes']);
    expect(said.findLast((s) => s.type === 'risk')).toEqual({ type: 'risk', atRisk: false });
  });

  it('keeps in memory what the server refuses', async () => {
    const { keeper: k } = await keeper();
    answer = () => ({ status: 422, message: 'No.' });
    vi.spyOn(IDBObjectStore.prototype, 'add').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    await k.enqueue(opening('a'));
    expect(await k.carry()).toBe('kept');
    const [parked] = await k.parked();
    expect(parked).toMatchObject({ reason: 'No.', errands: 1 });
    expect((await k.parkedRequests(parked!.id)).map((e) => e.path)).toEqual(['/api/layers']);
  });
});

describe('storage that cannot be read for a while', () => {
  it('is not taken for an empty one: nothing overtakes what lies in it, and nobody says that all is kept', async () => {
    const { keeper: k, said } = await keeper();
    answer = () => 'away';
    await k.enqueue(opening('a'));
    await k.carry();
    answer = () => OK;
    const broken = vi.spyOn(IDBIndex.prototype, 'openKeyCursor').mockImplementation(() => {
      throw new DOMException('broken', 'UnknownError');
    });
    const full = vi.spyOn(IDBObjectStore.prototype, 'add').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    await k.enqueue(closing('a'));
    expect(await k.carry()).toBe('trouble');
    expect(said.findLast((s) => s.type === 'state')).toMatchObject({ state: 'trouble', why: /cannot be read/ });
    expect(sent).toEqual([]);
    broken.mockRestore();
    full.mockRestore();
    expect(await k.carry()).toBe('kept');
    expect(taken()).toEqual(['POST layers', 'POST layers/a/close']);
  });
});

describe('storage that cannot be read at the end of a layer', () => {
  it('is waited for: the layer is not closed without what lies in it', async () => {
    const { keeper: k, said } = await keeper();
    await k.begin('a', opening('a'));
    await write(k, 'a', 1, 2);
    const broken = vi.spyOn(IDBIndex.prototype, 'getAllKeys').mockImplementation(() => {
      throw new DOMException('broken', 'UnknownError');
    });
    const finished = k.finish('a', closing('a'));
    await vi.waitFor(() => expect(said).toContainEqual(expect.objectContaining({ state: 'trouble' })));
    broken.mockRestore();
    await finished;
    expect(await k.carry()).toBe('kept');
    expect(timesSent('a')).toEqual([1, 2]);
    expect(taken().at(-1)).toBe('POST layers/a/close');
  });
});

describe('a layer that another browser has closed', () => {
  const header = (id: string) => ({ ...opening(id), pass: 'p', body: { header: { id } } });
  it('goes on as another one: nothing of it is put aside, and what was played is in the new one', async () => {
    const { keeper: k, said } = await keeper();
    await k.begin('a', header('a'));
    await write(k, 'a', 1);
    await k.rescue('a').then(() => k.carry());
    answer = ({ path }) => (path.startsWith('/api/layers/a/') ? { status: 409, message: 'It is closed.' } : OK);
    await write(k, 'a', 2);
    await vi.waitFor(() => expect(said).toContainEqual({ type: 'closed', layerId: 'a' }));
    void k.begin('b', header('b'));
    void write(k, 'b', 1, 2);
    await k.forget('s', 'a');
    void write(k, 'b', 3);
    await k.finish('b', closing('b'));
    expect(await k.carry()).toBe('kept');
    expect(timesSent('b')).toEqual([1, 2, 3]);
    expect(await k.parked()).toEqual([]);
    expect(taken().at(-1)).toBe('POST layers/b/close');
  });

  it('is found out by the pulse and by a piece at once: still nothing of it is put aside', async () => {
    const { keeper: k, said } = await keeper();
    let letAnswer = (): void => {};
    const answered = new Promise<void>((done) => {
      letAnswer = done;
    });
    const plain = globalThis.fetch;
    vi.stubGlobal('fetch', async (path: string, init: RequestInit) => {
      if (path.includes('/chunks/') && path.includes('/a/')) await answered;
      return plain(path, init);
    });
    answer = ({ path }) => {
      if (!path.startsWith('/api/layers/a/')) return OK;
      return path.endsWith('/alive') ? { status: 200, open: false } : { status: 409, message: 'It is closed.' };
    };
    await k.begin('a', header('a'));
    await write(k, 'a', 1);
    await vi.waitFor(() => expect(said).toContainEqual({ type: 'closed', layerId: 'a' }), 4000);
    void k.begin('b', header('b'));
    void write(k, 'b', 1);
    await k.forget('s', 'a');
    letAnswer();
    await k.finish('b', closing('b'));
    await vi.waitFor(async () => expect(await k.carry()).toBe('kept'));
    expect(await k.parked()).toEqual([]);
    expect(timesSent('b')).toEqual([1]);
  });

  it('is found out by the pulse, with nothing played', async () => {
    const { keeper: k, said } = await keeper();
    answer = ({ path }) => (path.endsWith('/alive') && path.includes('/a/') ? { status: 200, open: false } : OK);
    await k.begin('a', header('a'));
    await vi.waitFor(() => expect(said).toContainEqual({ type: 'closed', layerId: 'a' }), 4000);
    await k.forget('s', 'a');
  });
});

describe('after a crash', () => {
  it('the next visit sends what waited, and the last events of a layer that was cut off', async () => {
    answer = () => 'away';
    // It goes before its next quarter of a second is over, however slow the machine is.
    const timers = vi.spyOn(globalThis, 'setTimeout').mockReturnValue(0 as never);
    const { keeper: before } = await keeper();
    await before.enqueue(opening('a'));
    await write(before, 'a', 1, 2);
    // The page is gone: another one opens the same storage.
    vi.resetModules();
    timers.mockRestore();
    answer = () => OK;
    const { keeper: after } = await keeper();
    const { strandedLayers } = await import('./arrivals');
    expect(await strandedLayers('s')).toEqual(['a']);
    expect(await strandedLayers('other')).toEqual([]);
    expect(await after.rescue('a')).toBe(2);
    expect(await after.carry()).toBe('kept');
    expect(taken()).toEqual(['POST layers', 'PUT layers/a/chunks/1']);
    expect(timesSent('a')).toEqual([1, 2]);
  });
});

describe('what look-back holds', () => {
  const held = (seq: number, wall = seq * 1000): BufferedEvent => ({
    seq,
    wall,
    port: 'bench',
    message: { type: 'noteOn', key: 60, velocity: 80 },
    listening: 1,
    place: null,
  });
  const listening = { id: 1, song: 's', parts: [] };
  const facts = { by: 'window', rolls: [], listenings: [listening], takings: [{ by: 'pass', from: 1, to: 2 }] };

  it('is written with the layers’ events, and is there for the next visit', async () => {
    const { keeper: k } = await keeper();
    await k.write({ arrivals: [arrival('a', 1)], buffered: [held(1)], facts });
    await k.write({ arrivals: [], buffered: [held(2), held(3)], facts: null });
    const again = await k.readBuffer('window');
    expect(again.events.map((e) => e.seq)).toEqual([1, 2, 3]);
    expect(again.listenings.get(1)).toEqual(listening);
    expect(again.takings).toEqual(facts.takings);
  });

  it('is put together from what several windows wrote, each thing once', async () => {
    const { keeper: k } = await keeper();
    const theirs = { by: 'other', rolls: [], listenings: [{ ...listening, id: 2 }], takings: facts.takings };
    await k.write({ arrivals: [], buffered: [held(1)], facts });
    await k.write({ arrivals: [], buffered: [held(3)], facts: theirs });
    await k.write({ arrivals: [], buffered: [held(2)], facts: null });
    for (const reader of ['window', 'other', 'a third']) {
      const read = await k.readBuffer(reader);
      expect(read.events.map((e) => e.seq)).toEqual([1, 2, 3]);
      expect([...read.listenings.keys()].sort()).toEqual([1, 2]);
      expect(read.takings).toEqual(facts.takings);
    }
  });

  it('goes when it is older than what is worth holding, and all at once when it is to be forgotten', async () => {
    const { keeper: k } = await keeper();
    const hours = Array.from({ length: 3000 }, (_, i) => held(i + 1, i * 2000));
    await k.write({ arrivals: [], buffered: hours.slice(0, 1000), facts });
    await k.write({ arrivals: [], buffered: hours.slice(1000), facts: null });
    await k.trimBuffer(hours);
    const left = (await k.readBuffer('window')).events;
    expect(left[0]!.seq).toBe(1001);
    await k.forgetBuffer();
    expect((await k.readBuffer('window')).events).toEqual([]);
  });
});
