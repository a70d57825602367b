import { describe, expect, it } from 'vitest';
import { WaveFile } from 'wavefile';
import { bytesPerSample, interleave, wavHeader, type WavFacts } from './wav';

const facts: WavFacts = {
  channels: 2,
  rate: 48_000,
  format: '24-bit',
  description: 'The Orchard Gate; Piano; 96 bpm',
  at: '2026-11-26T18:00:00.000Z',
  reference: 0,
  markers: [
    { frame: 0, text: 'Intro' },
    { frame: 96_000, text: 'Refrain à deux' },
  ],
  ixml: '<BWFXML><PROJECT>x</PROJECT></BWFXML>',
};
const samples = (count: number) => [
  Float32Array.from({ length: count }, (_, i) => Math.sin(i / 7)),
  Float32Array.from({ length: count }, (_, i) => -0.5 * Math.sin(i / 7)),
];
function fileOf(own: WavFacts, sides: readonly Float32Array[]): Uint8Array {
  const head = wavHeader(own, sides[0]!.length);
  const data = new Uint8Array(sides[0]!.length * own.channels * bytesPerSample(own.format));
  interleave(sides, own.format, data);
  return Buffer.concat([head, data]);
}

describe('a WAV file, read by another reader', () => {
  for (const format of ['24-bit', '32-bit float'] as const)
    it(`has its rate, depth, channels, frames and markers: ${format}`, () => {
      const sides = samples(1000);
      const read = new WaveFile(fileOf({ ...facts, format }, sides));
      expect(read.fmt).toMatchObject({ numChannels: 2, sampleRate: 48_000 });
      expect(read.bitDepth).toBe(format === '24-bit' ? '24' : '32f');
      const [left, right] = read.getSamples(false, Float64Array) as unknown as [Float64Array, Float64Array];
      expect(left.length).toBe(1000);
      const scale = format === '24-bit' ? 8_388_608 : 1;
      for (const i of [0, 1, 500, 999]) {
        expect(Math.abs(left[i]! / scale - sides[0]![i]!)).toBeLessThanOrEqual(1 / 8_388_607);
        expect(Math.abs(right[i]! / scale - sides[1]![i]!)).toBeLessThanOrEqual(1 / 8_388_607);
      }
      const cues = read.listCuePoints() as { position: number; label: string }[];
      expect(cues.map((c) => [Math.round((c.position * 48_000) / 1000), c.label])).toEqual([
        [0, 'Intro'],
        [96_000, expect.stringMatching(/^Refrain/)],
      ]);
      const bext = read.bext as { description: string; originationDate: string; timeReference: number[] };
      expect(bext.description).toContain('96 bpm');
      expect(bext.originationDate).toBe('2026-11-26');
      expect([...bext.timeReference]).toEqual([0, 0]);
      expect(read.getiXML()).toContain('<PROJECT>x</PROJECT>');
    });

  it('has a header as long before its length is known as after', () => {
    expect(wavHeader(facts, 0).length).toBe(wavHeader(facts, 12_345).length);
    expect(wavHeader(facts, 2 ** 31).length).toBe(wavHeader(facts, 0).length);
  });

  it('of more than 4 GB is RF64, with its true sizes in 64 bits', () => {
    const frames = 800_000_000;
    const head = wavHeader(facts, frames);
    const view = new DataView(head.buffer);
    expect(new TextDecoder().decode(head.subarray(0, 4))).toBe('RF64');
    expect(view.getUint32(4, true)).toBe(0xffffffff);
    expect(new TextDecoder().decode(head.subarray(12, 16))).toBe('ds64');
    expect(view.getBigUint64(20, true)).toBe(BigInt(head.length + frames * 6 - 8));
    expect(view.getBigUint64(28, true)).toBe(BigInt(frames * 6));
    expect(view.getBigUint64(36, true)).toBe(BigInt(frames));
    expect(view.getUint32(head.length - 4, true)).toBe(0xffffffff);
    // The last that fits is plain.
    expect(new TextDecoder().decode(wavHeader(facts, 700_000_000).subarray(0, 4))).toBe('RIFF');
  });

  it('cuts what is beyond full scale, and counts it; float keeps it', () => {
    const loud = [Float32Array.of(0, 1.5, -1.5, 1), Float32Array.of(0, 0, 0, 0)];
    const bytes = new Uint8Array(24);
    expect(interleave(loud, '24-bit', bytes)).toBe(3);
    expect([...bytes.subarray(6, 9)]).toEqual([255, 255, 127]);
    expect([...bytes.subarray(12, 15)]).toEqual([0, 0, 128]);
    const float = new Uint8Array(32);
    expect(interleave(loud, '32-bit float', float)).toBe(0);
    expect(new DataView(float.buffer).getFloat32(8, true)).toBe(1.5);
  });
});
