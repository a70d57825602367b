import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Note } from '../core/performance/notes';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { addTakenSong } from '../harness/played';
import { endedRun, madeFiles } from '../harness/runs';
import { readSong, startServer, type Running } from '../harness/server';

const MEGABYTE = 1 << 20;
/** Bytes left on the full disk: enough for a page of the database, not for a file. */
const LEFT = 96 * 1024;

/** Small file system to be filled; skipped where it cannot be mounted. */
const disk = mkdtempSync(join(tmpdir(), 'tall-kettle-disk-'));
const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=48m', 'tmpfs', disk]).status === 0;
const filler = join(disk, 'filler');
let server: Running;
let id: string;
let archive: Uint8Array;

const room = () => {
  const { bavail, bsize } = statfsSync(disk);
  return bavail * bsize;
};
function fill(): void {
  writeFileSync(filler, Buffer.alloc(Math.max(0, room() - LEFT), 1));
  // The file system needs some space itself.
  for (let size = room(); size > 2 * LEFT; size = room()) writeFileSync(`${filler} ${size}`, Buffer.alloc(size - LEFT));
}
function makeRoom(): void {
  for (const name of readdirSync(disk)) if (name.startsWith('filler')) rmSync(join(disk, name));
}
const said = async (path: string, method = 'GET', body?: Uint8Array | string) => {
  const answer = await fetch(`${server.address}${path}`, {
    method,
    ...(body === undefined ? {} : { body: body as BodyInit }),
    ...(typeof body === 'string' ? { headers: { 'content-type': 'application/json' } } : {}),
  });
  const bytes = new Uint8Array(await answer.arrayBuffer());
  const text = answer.ok ? '' : ((JSON.parse(Buffer.from(bytes).toString()) as { message?: string }).message ?? '');
  return { status: answer.status, words: text, bytes };
};
const jobOf = async () => (await readSong(server.address, id)).jobId;
const filesIn = (name: string): string[] => {
  const folder = join(server.folder, name);
  return existsSync(folder) ? readdirSync(folder, { recursive: true }).map(String) : [];
};

beforeAll(async () => {
  if (!mounted) return;
  server = await startServer(false, disk);
  const notes = Array.from({ length: 64 }, (_, i): Note => ({
    ...{ id: `n${i}`, key: 60 + (i % 5), velocity: 80, release: 64, start: i * 480, end: i * 480 + 300 },
  }));
  id = await addTakenSong(server.address, 8, 120, [{ notes, controls: [] }]);
  archive = (await said(`/api/jobs/${await jobOf()}/archive`)).bytes;
}, 120_000);
afterAll(async () => {
  await server?.end();
  if (mounted) spawnSync('umount', [disk]);
  rmSync(disk, { recursive: true, force: true });
});

describe.skipIf(!mounted)('on a disk that is full', () => {
  it('a change is not kept, in words, and goes through once there is room', async () => {
    const before = await readSong(server.address, id);
    const level = (value: string) => ({
      ...{ base: before.revision, after: null, id: 'title', kind: 'set', name: 'title' },
      patches: [{ op: 'replace', path: ['notes'], value }],
      inverse: [{ op: 'replace', path: ['notes'], value: '' }],
    });
    fill();
    const long = JSON.stringify(level('x'.repeat(1900)));
    let refused = await said(`/api/songs/${id}/changes`, 'POST', long);
    // The remaining space may suffice for one.
    for (let n = 0; refused.status < 300 && n < 50; n += 1) {
      const { revision } = await readSong(server.address, id);
      const body = { ...level('y'.repeat(1900)), base: revision, id: `more ${n}` };
      refused = await said(`/api/songs/${id}/changes`, 'POST', JSON.stringify(body));
    }
    expect(refused.status).toBe(503);
    expect(refused.words).toMatch(/disk is full.*Make room/);
    const { revision } = await readSong(server.address, id);
    makeRoom();
    const body = { ...level('after'), base: revision, id: 'after' };
    expect((await said(`/api/songs/${id}/changes`, 'POST', JSON.stringify(body))).status).toBe(200);
    expect((await readSong(server.address, id)).document.notes).toBe('after');
  });

  it('a sound and an archive that come in leave nothing behind, and say why', async () => {
    fill();
    const { buffer } = wavOfBeats('x', steadyBeats(100, 32), 20);
    const sound = await said('/api/audio', 'POST', Uint8Array.from(buffer));
    expect([sound.status, sound.words]).toEqual([507, expect.stringMatching(/disk is full/)]);
    const padded = new Uint8Array(archive.length + MEGABYTE);
    padded.set(archive);
    const came = await said('/api/archives', 'POST', padded);
    expect([came.status, came.words]).toEqual([507, expect.stringMatching(/disk is full.*Nothing of the archive/)]);
    expect(filesIn('archives')).toEqual([]);
    expect(filesIn('audio')).toEqual([]);
    makeRoom();
    expect((await said('/api/audio', 'POST', Uint8Array.from(buffer))).status).toBe(200);
    expect((await said('/api/archives', 'POST', archive)).status).toBe(200);
  });

  it('files to hand over fail in words, and an archive goes out whole', async () => {
    const { revision, jobId } = await readSong(server.address, id);
    fill();
    const wish = JSON.stringify({ revision, which: 'all' });
    const begun = await said(`/api/songs/${id}/runs`, 'POST', wish);
    if (begun.status === 200) {
      const run = JSON.parse(Buffer.from(begun.bytes).toString()) as { id: string };
      const { state, trouble } = await endedRun(server.address, run.id);
      expect([state, trouble]).toEqual(['failed', expect.stringMatching(/disk is full/)]);
    } else expect([begun.status, begun.words]).toEqual([503, expect.stringMatching(/disk is full/)]);
    expect(filesIn('handover')).toEqual([]);
    // An archive is read while it is sent, and needs no space.
    const out = await said(`/api/jobs/${jobId}/archive`);
    expect(out.status).toBe(200);
    makeRoom();
    const came = await said('/api/archives', 'POST', out.bytes);
    expect(JSON.parse(Buffer.from(came.bytes).toString())).toMatchObject({ songs: ['Trial song'], damage: [] });
    expect((await madeFiles(server.address, id, {})).state).toBe('ready');
  });
});
