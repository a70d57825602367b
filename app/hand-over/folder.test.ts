import { afterEach, describe, expect, it, vi } from 'vitest';
import { writeIntoFolder } from './folder';

/** A folder as the browser hands it out, with what is in it by name: bytes, or another folder. */
class Folder {
  readonly kind = 'directory';
  readonly inside = new Map<string, Folder | File>();
  constructor(readonly name: string) {}

  async getDirectoryHandle(name: string, { create = false } = {}): Promise<Folder> {
    const there = this.inside.get(name);
    if (there instanceof Folder) return there;
    if (there) throw new DOMException('a file', 'TypeMismatchError');
    if (!create) throw new DOMException('none', 'NotFoundError');
    const made = new Folder(name);
    this.inside.set(name, made);
    return made;
  }
  async getFileHandle(name: string): Promise<unknown> {
    const put = (bytes: File): void => void this.inside.set(name, bytes);
    put(new File([], name));
    return {
      name,
      getFile: async () => this.inside.get(name),
      async createWritable() {
        const parts: Uint8Array<ArrayBuffer>[] = [];
        return new WritableStream<Uint8Array<ArrayBuffer>>({
          write: (part) => void parts.push(part),
          close: () => put(new File(parts, name)),
        });
      },
    };
  }
  async removeEntry(name: string): Promise<void> {
    if (!this.inside.delete(name)) throw new DOMException('none', 'NotFoundError');
  }
}

const handed = (folder: Folder) => folder as unknown as FileSystemDirectoryHandle;
const FILES = ['Piano.mid', 'Piano.wav'].map((name) => ({ name, address: `/${name}` }));
const { signal } = new AbortController();
afterEach(() => vi.unstubAllGlobals());

describe('a folder to hand over into', () => {
  it('gets a new one inside, beside a file and a folder that have its name already', async () => {
    vi.stubGlobal('fetch', async (address: string) => new Response(`bytes of ${address}`));
    const folder = new Folder('Client');
    folder.inside.set('Reed Lane', new File(['not ours'], 'Reed Lane'));
    folder.inside.set('Reed Lane (2)', new Folder('Reed Lane (2)'));
    const told: number[] = [];
    expect(await writeIntoFolder(handed(folder), 'Reed Lane', FILES, signal, (n) => told.push(n))).toBe(
      'Reed Lane (3)',
    );
    const into = folder.inside.get('Reed Lane (3)') as Folder;
    expect([...into.inside.keys()].sort()).toEqual(['Piano.mid', 'Piano.wav']);
    expect(await (into.inside.get('Piano.wav') as File).text()).toBe('bytes of /Piano.wav');
    expect(await (folder.inside.get('Reed Lane') as File).text()).toBe('not ours');
    expect(told).toEqual([1, 2]);
  });

  it('keeps what was whole, and no half, where the server breaks off', async () => {
    vi.stubGlobal(
      'fetch',
      async (address: string) => new Response('x', { status: address.endsWith('wav') ? 500 : 200 }),
    );
    const folder = new Folder('Client');
    const failure = await writeIntoFolder(handed(folder), 'Reed Lane', FILES, signal, () => {}).catch((e: Error) => e);
    expect((failure as Error).message).toBe(
      'Piano.wav could not be had from the server: 1 of 2 files lie whole in Reed Lane.',
    );
    expect([...(folder.inside.get('Reed Lane') as Folder).inside.keys()]).toEqual(['Piano.mid']);
  });
});
