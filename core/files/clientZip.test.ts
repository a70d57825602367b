import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { unzipFiles } from './clientZip';
import { DamagedFile } from './damaged';

const text = (words: string) => new TextEncoder().encode(words);

describe('a zip that a client sent', () => {
  it('gives its files in their order, without folders and what systems add', async () => {
    const zip = zipSync({
      'Reed Lane/': new Uint8Array(),
      'Reed Lane/mix.wav': [text('RIFF'), { level: 0 }],
      '__MACOSX/Reed Lane/._mix.wav': text('x'),
      'Reed Lane/.DS_Store': text('x'),
      'Reed Lane/notes/form.txt': text('In three.'),
    });
    const files = await unzipFiles(zip);
    expect(files.map((f) => [f.name, new TextDecoder().decode(f.bytes)])).toEqual([
      ['mix.wav', 'RIFF'],
      ['form.txt', 'In three.'],
    ]);
  });

  it.each([
    ['no zip', text('PK but no zip'), 'damaged or cut short'],
    ['one cut short', zipSync({ a: text('words') }).subarray(0, 40), 'damaged or cut short'],
    [
      'too many files',
      zipSync(Object.fromEntries(Array.from({ length: 201 }, (_, i) => [`${i}.txt`, text('x')]))),
      'more than 200 files',
    ],
    ['two gigabytes of one byte', saysItIs(2 ** 31), 'would become 2.0 GB'],
  ])('is refused in words where it is %s', async (_, zip, words) => {
    const refusal = await unzipFiles(zip).catch((error: unknown) => error);
    expect(refusal).toBeInstanceOf(DamagedFile);
    expect((refusal as Error).message).toContain(words);
  });
});

/** A zip whose list says that its one file is so large. */
function saysItIs(size: number): Uint8Array {
  const zip = zipSync({ 'big.wav': text('x') });
  const view = new DataView(zip.buffer, zip.byteOffset);
  for (let at = 0; at < zip.length - 4; at += 1)
    if (view.getUint32(at, true) === 0x02014b50) view.setUint32(at + 24, size, true);
  return zip;
}
