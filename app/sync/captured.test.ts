import fc from 'fast-check';
import { WaveFile } from 'wavefile';
import { describe, expect, it } from 'vitest';
import type { RecorderSaid } from '~~/engine/worklet/messages';
import { Captured, type PieceFacts } from './captured';
import { groupOf, parkedWords, soundIn, withRequest, type ParkedPiece } from './refusedRequests';
import type { QueuedRequest, Parked } from './store';

const RATE = 1000;
const PIECE = 250;
const opening: QueuedRequest = { songId: 's', pass: 'p', method: 'POST', path: '/api/recordings', body: { id: 'one' } };
const closing: QueuedRequest = { songId: 's', method: 'POST', path: '/api/recordings/one/close', body: {} };

/** A port whose other end is the test's. */
function begun(channels = 1) {
  const sent: QueuedRequest[] = [];
  const written: (() => void)[] = [];
  const captured = new Captured((request) => {
    sent.push(request);
    return new Promise((done) => written.push(done));
  });
  /** The browser has written all that it was given. */
  const write = async (): Promise<void> => {
    while (written.length > 0) {
      written.splice(0).forEach((done) => done());
      await new Promise((turn) => setTimeout(turn, 0));
    }
  };
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
  return { captured, sent, say, piece, write };
}
/** The first frame of each request, and how many it has. */
const framesOf = (sent: readonly QueuedRequest[]): number[][] =>
  sent.filter((e) => e.bytes).map(({ body }) => [(body as PieceFacts).frame, (body as PieceFacts).frames]);
/** The frames of some requests, one after the other. */
const all = (sent: readonly QueuedRequest[]): number[] =>
  sent.flatMap((e) => (e.bytes ? [...new Float32Array(e.bytes)] : []));

describe('sound on its way to be kept', () => {
  it('is held until it is wanted, for the last seconds, and kept as it comes from then on', async () => {
    const { captured, sent, say, piece, write } = begun();
    for (let i = 0; i < 80; i += 1) piece();
    expect(sent).toEqual([]);
    captured.open('one', opening);
    captured.open('one', opening);
    await write();
    piece();
    await write();
    captured.close('one', closing);
    expect(sent.at(-1)!.bytes).toBeDefined();
    say('end');
    // Ten seconds ahead of the moment it was wanted, in few pieces, and what came after by itself.
    expect([framesOf(sent).length, framesOf(sent).at(-1)]).toEqual([6, [80 * PIECE, PIECE]]);
    expect(all(sent)).toEqual(Array.from({ length: 42 * PIECE }, (_, i) => 39 * PIECE + i));
    expect([sent[0], sent.at(-1)]).toEqual([opening, { ...closing, pass: 'p', body: { last: 6 } }]);
    expect(sent[1]!.path).toBe('/api/recordings/one/pieces/1?frame=9750');
  });

  it('is put together while the browser is still writing, a few pieces at the most', async () => {
    const { captured, sent, piece, write } = begun();
    captured.open('one', opening);
    await write();
    for (let i = 0; i < 9; i += 1) piece();
    expect(framesOf(sent)).toEqual([
      [0, PIECE],
      [PIECE, 3 * PIECE],
      [4 * PIECE, 3 * PIECE],
    ]);
    await write();
    expect(framesOf(sent).at(-1)).toEqual([7 * PIECE, 2 * PIECE]);
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
      fc.property(steps, fc.boolean(), (given, closesFirst) => {
        const { captured, sent, say, piece } = begun();
        let pieces = 0;
        let opened = false;
        for (const step of [...given, 'open', 'piece']) {
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
        expect(all(sent)).toEqual(Array.from({ length: pieces * PIECE }, (_, i) => i));
        // It says which piece is the last: whoever closes it before that does not end it.
        const numbers = sent.flatMap((e) => (e.bytes ? [Number(/pieces\/(\d+)/.exec(e.path)![1])] : []));
        expect(numbers).toEqual(numbers.map((_, i) => i + 1));
        const ends = { ...closing, pass: 'p', body: { last: numbers.length } };
        expect(sent.filter((e) => !e.bytes)).toEqual([opening, ends]);
        expect(sent.at(-1)).toEqual(ends);
      }),
    );
  });

  it('that the server would not have is a file that another reader reads, each moment where it was', async () => {
    const { captured, sent, piece, write } = begun(2);
    captured.open('one', opening);
    for (let i = 0; i < 4; i += 1) {
      await write();
      piece();
    }
    const refused = sent.filter((e) => e.bytes);
    expect(refused.map((e) => groupOf(e))).toEqual(Array(4).fill({ id: 'pass p', kind: 'pass' }));
    expect(groupOf(opening)).toEqual({ id: 'pass p', kind: 'pass' });
    const of = { id: 'pass p', songId: 's', kind: 'pass' as const, reason: 'No.', at: '2026-01-01T00:00:00Z' };
    const row = refused.reduce<Parked | undefined>((before, e) => withRequest(before, of, e), undefined);
    expect(row).toMatchObject({ errands: 4, notes: 0, sound: 1, isTake: false });
    expect(parkedWords(row!)).toBe('The server would not take 1.0 s of sound of a pass.');
    const pieceOf = ({ body, bytes }: QueuedRequest): ParkedPiece => ({
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
