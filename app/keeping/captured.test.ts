import fc from 'fast-check';
import { WaveFile } from 'wavefile';
import { describe, expect, it } from 'vitest';
import type { RecorderSaid } from '~~/engine/worklet/messages';
import { Captured } from './captured';
import { groupOf, parkedWords, soundIn, withErrand, type ParkedPiece } from './parked';
import type { Errand, Parked } from './store';

const RATE = 1000;
const PIECE = 250;
const opening: Errand = { songId: 's', pass: 'p', method: 'POST', path: '/api/recordings', body: { id: 'one' } };
const closing: Errand = { songId: 's', method: 'POST', path: '/api/recordings/one/close', body: {} };

/** A port whose other end is the test's. */
function begun(channels = 1) {
  const sent: Errand[] = [];
  const captured = new Captured((errand) => sent.push(errand));
  const port = { onmessage: null as ((event: { data: RecorderSaid }) => void) | null, close: () => {} };
  captured.begin('one', port as unknown as MessagePort, RATE, channels);
  let frame = 0;
  const say = (data: RecorderSaid) => port.onmessage!({ data });
  const piece = () => {
    say({
      frame,
      samples: Float32Array.from({ length: PIECE * channels }, (_, i) => frame + Math.floor(i / channels)),
    });
    frame += PIECE;
  };
  return { captured, sent, say, piece };
}
const framesOf = (sent: readonly Errand[]): number[] =>
  sent.filter((e) => e.bytes).map((e) => (e.body as { frame: number }).frame);

describe('sound on its way to be kept', () => {
  it('is held until it is wanted, for the last seconds, and kept piece by piece from then on', () => {
    const { captured, sent, say, piece } = begun();
    for (let i = 0; i < 80; i += 1) piece();
    expect(sent).toEqual([]);
    captured.open('one', opening);
    captured.open('one', opening);
    piece();
    captured.close('one', closing);
    expect(sent.at(-1)!.bytes).toBeDefined();
    say('end');
    expect([sent[0], sent.at(-1)]).toEqual([opening, { ...closing, pass: 'p', body: { last: 42 } }]);
    // Ten seconds ahead of the moment it was wanted, and what came after.
    expect(framesOf(sent)).toEqual(Array.from({ length: 42 }, (_, i) => (39 + i) * PIECE));
    expect(sent[1]!.path).toBe('/api/recordings/one/pieces/1?frame=9750');
  });

  it('leaves nothing where nobody wanted it', () => {
    const { captured, sent, say, piece } = begun();
    piece();
    captured.close('one', closing);
    say('end');
    captured.open('one', opening);
    expect(sent).toEqual([]);
  });

  it('goes in order and once, its closing last, whichever of the last words comes first', () => {
    const steps = fc.array(fc.constantFrom('piece', 'piece', 'open'), { maxLength: 30 });
    fc.assert(
      fc.property(steps, fc.boolean(), (all, closesFirst) => {
        const { captured, sent, say, piece } = begun();
        let pieces = 0;
        let opened = false;
        for (const step of [...all, 'open', 'piece']) {
          if (step === 'open') {
            captured.open('one', opening);
            opened = true;
          } else {
            piece();
            pieces += 1;
          }
        }
        const last = [() => captured.close('one', closing), () => say('end')];
        for (const word of closesFirst ? last : [...last].reverse()) word();
        expect(opened).toBe(true);
        expect(framesOf(sent)).toEqual(Array.from({ length: pieces }, (_, i) => i * PIECE));
        // It says which piece is the last: whoever closes it before that does not end it.
        const ends = { ...closing, pass: 'p', body: { last: pieces } };
        expect(sent.filter((e) => !e.bytes)).toEqual([opening, ends]);
        expect(sent.at(-1)).toEqual(ends);
        expect(sent.flatMap((e) => (e.bytes ? [Number(/pieces\/(\d+)/.exec(e.path)![1])] : []))).toEqual(
          Array.from({ length: pieces }, (_, i) => i + 1),
        );
      }),
    );
  });

  it('that the server would not have is a file that another reader reads, each moment where it was', () => {
    const { captured, sent, piece } = begun(2);
    captured.open('one', opening);
    for (let i = 0; i < 4; i += 1) piece();
    const refused = sent.filter((e) => e.bytes);
    expect(refused.map((e) => groupOf(e))).toEqual(Array(4).fill({ id: 'pass p', kind: 'pass' }));
    expect(groupOf(opening)).toEqual({ id: 'pass p', kind: 'pass' });
    const of = { id: 'pass p', songId: 's', kind: 'pass' as const, reason: 'No.', at: '2026-01-01T00:00:00Z' };
    const row = refused.reduce<Parked | undefined>((before, e) => withErrand(before, of, e), undefined);
    expect(row).toMatchObject({ errands: 4, notes: 0, sound: 1, isTake: false });
    expect(parkedWords(row!)).toBe('The server would not take 1.0 s of sound of a pass.');
    const pieceOf = ({ body, bytes }: Errand): ParkedPiece => ({
      ...(body as Omit<ParkedPiece, 'bytes'>),
      bytes: bytes!,
    });
    const wav = new WaveFile(soundIn([pieceOf(refused[1]!), pieceOf(refused[3]!)], of.at)!);
    const [left, right] = wav.getSamples(false, Float32Array as never) as unknown as Float32Array[];
    expect(left).toHaveLength(3 * PIECE);
    expect([0, 249, 250, 499, 500, 749].map((i) => left![i])).toEqual([250, 499, 0, 0, 750, 999]);
    expect(right).toEqual(left);
    expect(soundIn([], of.at)).toBeNull();
  });
});
