import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { isSilent, loudest, levelFor, packPeaks, peakBuilder, unpackPeaks, wavePeaks } from '../backing/peaks';
import { DamagedFile } from './damaged';
import { checkDecoded, checkSound, kindOfFile } from './sound';

/** A WAV file's header, with what it says of itself. */
function wav({
  channels = 2,
  rate = 44_100,
  data = 400,
  there,
}: { channels?: number; rate?: number; data?: number; there?: number } = {}): Uint8Array {
  const bytes = new Uint8Array(44 + (there ?? data));
  const view = new DataView(bytes.buffer);
  const put = (at: number, text: string) =>
    [...text].forEach((c, i) => {
      bytes[at + i] = c.charCodeAt(0);
    });
  put(0, 'RIFF');
  view.setUint32(4, 36 + data, true);
  put(8, 'WAVEfmt ');
  view.setUint32(16, 16, true);
  view.setUint16(20, 1, true);
  view.setUint16(22, channels, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, rate * channels * 2, true);
  view.setUint16(32, channels * 2, true);
  view.setUint16(34, 16, true);
  put(36, 'data');
  view.setUint32(40, data, true);
  return bytes;
}
const check =
  (bytes: Uint8Array, size = bytes.length) =>
  () =>
    checkSound(bytes, size);

describe('a sound file', () => {
  it('is known by its bytes, not by its name', () => {
    expect(checkSound(wav(), 444)).toBe('wav');
    expect(kindOfFile(new TextEncoder().encode('MThd....'))).toBe('midi');
    expect(kindOfFile(Uint8Array.of(0xff, 0xfb, 0x90, 0x64))).toBe('mp3');
    expect(kindOfFile(new TextEncoder().encode('ID3\u0003'))).toBe('mp3');
    expect(kindOfFile(new TextEncoder().encode('OggS'))).toBe('ogg');
    expect(kindOfFile(new TextEncoder().encode('fLaC'))).toBe('flac');
    expect(kindOfFile(new TextEncoder().encode('FORM....AIFF'))).toBe('aiff');
    expect(check(new TextEncoder().encode('<!doctype html><p>Not here'))).toThrow('neither sound, MIDI nor pages');
  });

  it.each([
    ['empty', new Uint8Array(0), 0, 'empty'],
    ['without channels', wav({ channels: 0 }), undefined, 'no channels'],
    ['with a thousand channels', wav({ channels: 1000 }), undefined, '1000 channels'],
    ['without a sample rate', wav({ rate: 0 }), undefined, '0 samples'],
    ['cut short', wav({ data: 4000, there: 1000 }), undefined, '25%'],
    ['of hours by its header', wav({ data: 4e9, there: 100 }), 4e9 + 44, 'minutes'],
    ['of nothing but a header', wav({ data: 0, there: 0 }), undefined, 'no sound'],
    ['cut inside its header', wav().subarray(0, 30), undefined, 'cut short'],
    ['cut before its header', new TextEncoder().encode('fLaC'), undefined, 'cut short'],
  ])('that is %s is refused with the reason', (_, bytes, size, reason) => {
    expect(check(bytes, size ?? bytes.length)).toThrow(DamagedFile);
    expect(check(bytes, size ?? bytes.length)).toThrow(reason);
  });

  it('written as a stream may leave its length unsaid', () => {
    expect(checkSound(wav({ data: 0xffffffff, there: 400 }), 444)).toBe('wav');
    expect(checkSound(wav({ data: 0, there: 400 }), 444)).toBe('wav');
  });

  it('that decodes to nothing or to silence is refused', () => {
    expect(() => checkDecoded(2, 0, false)).toThrow('no sound');
    expect(() => checkDecoded(2, 3, true)).toThrow('silent');
    expect(() => checkDecoded(2, 9000, false)).toThrow('minutes');
    expect(() => checkDecoded(1, 3, false)).not.toThrow();
  });

  it('with random or mutated bytes is taken or refused, and nothing else happens', () => {
    const starts = fc.constantFrom(
      'RIFF',
      'RIFF\u0000\u0000\u0000\u0000WAVE',
      'FORM\u0000\u0000\u0000\u0000AIFF',
      'fLaC',
      'OggS',
      'ID3',
      '',
    );
    const tamely = (bytes: Uint8Array, size: number) => {
      try {
        checkSound(bytes, size);
      } catch (error) {
        expect(error).toBeInstanceOf(DamagedFile);
      }
    };
    fc.assert(
      fc.property(starts, fc.uint8Array({ maxLength: 300 }), fc.nat(1e9), (start, rest, more) => {
        const bytes = Uint8Array.from([...[...start].map((c) => c.charCodeAt(0)), ...rest]);
        tamely(bytes, bytes.length + (more % 3 === 0 ? more : 0));
      }),
      { numRuns: 500 },
    );
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(443), fc.nat(255)), { maxLength: 8 }), fc.nat(444), (changes, length) => {
        const bytes = wav();
        for (const [at, value] of changes) bytes[at] = value;
        tamely(bytes.subarray(0, length), length);
      }),
      { numRuns: 500 },
    );
  });
});

describe('wave peaks', () => {
  const wave = Float32Array.from({ length: 48_000 * 3 }, (_, i) => [0.25, 0, -0.8][Math.floor(i / 48_000)]!);

  it('hold the loudest of each step at every zoom', () => {
    const { levels } = wavePeaks([wave, new Float32Array(wave.length)], 48_000);
    expect(levels.map((l) => l.perSecond)).toEqual([400, 50, 6.25]);
    for (const level of levels) {
      expect(loudest(level, 0.2, 0.7)).toBeCloseTo(0.25, 1);
      expect(loudest(level, 1.3, 1.7)).toBe(0);
      expect(loudest(level, 2.2, 2.9)).toBeCloseTo(0.8, 1);
      expect(loudest(level, -5, -1)).toBe(0);
      expect(loudest(level, 5, 9)).toBe(0);
    }
    expect(levelFor({ levels }, 20).perSecond).toBe(50);
    expect(levelFor({ levels }, 5000).perSecond).toBe(400);
  });

  it('are the same from pieces, and from bytes', () => {
    const whole = wavePeaks([wave], 48_000);
    const builder = peakBuilder(48_000, wave.length);
    for (let from = 0; from < wave.length; from += builder.step * 7)
      builder.add([wave.subarray(from, from + builder.step * 7)]);
    expect(builder.done()).toEqual(whole);
    expect(unpackPeaks(packPeaks(whole))).toEqual(whole);
  });

  it('know silence from the faintest sound', () => {
    const faint = (size: number) =>
      isSilent(wavePeaks([Float32Array.from({ length: 9000 }, (_, i) => (i === 4000 ? size : 0))], 48_000));
    expect([faint(0), faint(1e-9), faint(1e-5), faint(-1e-5)]).toEqual([true, true, false, false]);
  });

  it('say so when their bytes are damaged', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => {
        expect(() => unpackPeaks(bytes)).toThrow(DamagedFile);
      }),
    );
    expect(() => unpackPeaks(packPeaks(wavePeaks([wave], 48_000)).subarray(0, 100))).toThrow(DamagedFile);
  });
});
