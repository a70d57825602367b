import { describe, expect, it } from 'vitest';
import { fetchedBytes } from './fetchedBytes';

const pieces = (...lengths: number[]) =>
  new ReadableStream<Uint8Array>({
    start(out) {
      lengths.forEach((length, i) => out.enqueue(new Uint8Array(length).fill(i)));
      out.close();
    },
  });

describe('an answer that is read', () => {
  it('comes whole, and tells its share as it comes', async () => {
    const told: number[] = [];
    const response = new Response(pieces(10, 20, 70), { headers: { 'content-length': '100' } });
    const bytes = new Uint8Array(await fetchedBytes(response, (share) => told.push(share)));
    expect(told).toEqual([0.1, 0.3, 1]);
    expect([bytes.length, bytes[9], bytes[10], bytes[99]]).toEqual([100, 0, 1, 2]);
  });

  it('never passes the whole, and tells nothing where its length is not said', async () => {
    const told: number[] = [];
    const packed = new Response(pieces(60, 60), { headers: { 'content-length': '80' } });
    await fetchedBytes(packed, (share) => told.push(share));
    expect(told).toEqual([0.75, 1]);
    expect((await fetchedBytes(new Response(pieces(5)), (share) => told.push(share))).byteLength).toBe(5);
    expect(told).toHaveLength(2);
  });

  it('throws where it breaks off', async () => {
    const broken = new ReadableStream<Uint8Array>({
      start: (out) => out.enqueue(new Uint8Array(3)),
      pull: (out) => out.error(new TypeError('gone')),
    });
    const response = new Response(broken, { headers: { 'content-length': '9' } });
    await expect(fetchedBytes(response, () => {})).rejects.toThrow('gone');
  });
});
