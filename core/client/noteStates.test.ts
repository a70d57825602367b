import { describe, expect, it } from 'vitest';
import type { ClientNote } from '../document/clientNote';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { checksOf } from '../handover/checks';
import { USUAL_DELIVERY } from '../handover/delivery';
import { deliveryNote } from '../handover/sheets';
import { change } from '../song/changes';
import { answeredIn, mayBeDone, noteBarsWords, fingerprintOfBars, fingerprintsThen } from './noteStates';

const note = (over: Partial<ClientNote> = {}): ClientNote => ({
  ...{ id: 'n', text: 'bar 2 too busy', bars: [{ first: 2, last: 2 }], of: 1, heard: '', done: null },
  ...over,
});
const fingerprints = (...bars: string[]) => new Map([['piano', bars]]);

describe('a client’s note', () => {
  it('may be done once its bars sound otherwise, and not when others do', () => {
    const open = note({ heard: fingerprintOfBars([{ first: 2, last: 2 }], fingerprints('a', 'b', 'c')) });
    expect(mayBeDone(open, fingerprints('a', 'b', 'c'))).toBe(false);
    expect(mayBeDone(open, fingerprints('x', 'b', ''))).toBe(false);
    expect(mayBeDone(open, fingerprints('a', 'x', 'c'))).toBe(true);
    expect(mayBeDone(note({ ...open, done: { answer: '', in: null } }), fingerprints('a', 'x', 'c'))).toBe(false);
    expect(mayBeDone(note({ ...open, bars: null }), fingerprints('a', 'x', 'c'))).toBe(false);
    // A part that plays nothing there is of no account.
    expect(mayBeDone(open, new Map([...fingerprints('a', 'b', 'c'), ['pad', ['p', '', 'p']]]))).toBe(false);
    expect(mayBeDone(open, new Map([...fingerprints('a', 'b', 'c'), ['pad', ['', 'p', '']]]))).toBe(true);
  });

  it('is held against what went out, of parts that did', () => {
    const song = newSong('x', 'piano');
    const handed = { at: '', version: 1, bars: ['a', 'b'] };
    const out = { ...song, parts: [{ ...song.parts[0]!, handed }] };
    expect(fingerprintsThen(out, new Map([...fingerprints('z', 'z'), ['pad', ['p']]]))).toEqual(
      new Map([...fingerprints('a', 'b'), ['pad', ['p']]]),
    );
  });

  it('says its bars as people do', () => {
    const form = { bars: 16, sections: [{ name: 'Bridge', first: 9, last: 12 }] };
    const words = (...bars: [number, number][]) =>
      noteBarsWords(
        bars.map(([first, last]) => ({ first, last })),
        form,
      );
    expect(words([3, 3])).toBe('bar 3');
    expect(words([3, 4], [7, 7])).toBe('bars 3–4 and 7');
    expect(words([1, 2], [5, 5], [8, 9])).toBe('bars 1–2, 5 and 8–9');
    expect(words([9, 12])).toBe('Bridge');
    expect(words([1, 16])).toBe('the whole song');
    expect(noteBarsWords(null, form)).toBe('');
    const twice = { bars: 16, sections: [...form.sections, { name: 'Bridge', first: 13, last: 14 }] };
    expect(noteBarsWords([{ first: 9, last: 12 }], twice)).toBe('bars 9–12');
  });

  it('is a check while it is open, one press says that it is done, and the version tells so once', () => {
    const song = {
      ...newSong('Reed Lane', 'piano'),
      clientNotes: [note(), note({ id: 'm', text: 'softer', bars: null })],
    };
    const maps = mapsOf(song);
    const open = checksOf(song, [], new Map(), maps).filter((c) => c.kind === 'client note');
    expect(open.map((c) => [c.words, c.at])).toEqual([
      ['A note is open, on bar 2: bar 2 too busy', 3840],
      ['A note is open: softer', null],
    ]);
    const done = change(song, open[0]!.mend!.command).document;
    expect(checksOf(done, [], new Map(), maps).filter((c) => c.kind === 'client note')).toHaveLength(1);
    const facts = { job: { title: 'Marsh Light', client: '' }, at: '2026-01-01', changed: null, onlyChanged: false };
    const said = deliveryNote(done, [], USUAL_DELIVERY, { ...facts, version: 2, files: [] }, maps);
    expect(said).toContain('What you asked for\n  “bar 2 too busy” (bar 2): done\n  “softer”: still open\n');
    const out = change(done, { type: 'hand over', parts: [], version: 2, at: '2026-01-02' }).document;
    expect(answeredIn(out.clientNotes, 2)).toHaveLength(2);
    expect(answeredIn(out.clientNotes, 3).map((n) => n.id)).toEqual(['m']);
  });
});
