import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { change, type Command } from '../changes';
import { patched } from '../history';
import { newSong, type SongDocument } from '../../document/document';
import { newBacking } from '../../document/backing';

const plain: SongDocument = { ...newSong('x', 'piano'), bars: 8 };

const does = (song: SongDocument, ...commands: Command[]): SongDocument =>
  commands.reduce((doc, command) => change(doc, command).document, song);

describe('a backing', () => {
  const backing = (id: string) => newBacking({ id, name: id, audio: 'f'.repeat(64), length: 10 });

  it('comes back by undo alone: the levels that were set of the others meanwhile stay', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.nat(5),
        fc.array(fc.record({ which: fc.nat(5), gainDb: fc.integer({ min: -40, max: 6 }), muted: fc.boolean() }), {
          maxLength: 6,
        }),
        (count, gone, sets) => {
          const song = { ...plain, backings: Array.from({ length: count }, (_, i) => backing(`b${i}`)) };
          const id = `b${gone % count}`;
          const out = change(song, { type: 'take backing out', backing: id });
          expect(out.document.backings.map((b) => b.id)).toEqual(
            song.backings.map((b) => b.id).filter((b) => b !== id),
          );
          const left = out.document.backings;
          const set = sets
            .filter(() => left.length > 0)
            .reduce(
              (doc, { which, gainDb, muted }) =>
                does(doc, { type: 'set backing', backing: left[which % left.length]!.id, to: { gainDb, muted } }),
              out.document,
            );
          const back = patched(set, out.inverse);
          expect(back.backings.map((b) => b.id)).toEqual(song.backings.map((b) => b.id));
          for (const b of set.backings) expect(back.backings.find((x) => x.id === b.id)).toEqual(b);
          expect(patched(back, out.patches)).toEqual(set);
        },
      ),
    );
  });
});
