import { describe, expect, it } from 'vitest';
import { newSong, type SongDocument } from '../../document/document';
import { newPart } from '../../document/part';
import { newTake } from '../../document/take';
import { change, type Command } from '../changes';
import { patched } from '../history';

const BAR = 3840;
const range = (from: number, to: number) => ({ from: from * BAR, to: to * BAR });
const take = (id: string, number: number, from: number, to: number) =>
  newTake({
    id,
    number,
    layers: [`layer ${id}`],
    ...range(from, to),
    placement: { policy: 'heard', nudge: 0 },
    at: '',
  });
const plain = newSong('Lamps', 'piano');
const song: SongDocument = {
  ...plain,
  bars: 8,
  parts: [
    {
      ...plain.parts[0]!,
      takes: [take('a', 1, 0, 8), take('b', 2, 0, 8)],
      comp: [
        { ...range(0, 4), takeId: 'a' },
        { ...range(4, 8), takeId: 'b' },
      ],
      joins: [{ at: 4 * BAR, before: 'a', after: 'b', held: 'ring', lift: false, drop: [], keep: [], passed: null }],
    },
    newPart({ id: 'organ', name: 'Organ' }, 1),
  ],
};
const does = (...commands: Command[]) => commands.reduce((doc, c) => change(doc, c).document, song);
const heard = (doc: SongDocument, part = 0) =>
  doc.parts[part]!.comp.map((p) => [p.from / BAR, p.to / BAR, p.takeId, p.by ?? null]);

describe('a take', () => {
  it('is named, marked and noted, and all of it is undone', () => {
    const to = { name: 'The loud one', mark: 'good' as const, note: 'Bar 5 is the one' };
    const made = change(song, { type: 'set take', part: 'piano', take: 'b', to });
    expect(made.document.parts[0]!.takes[1]).toMatchObject(to);
    expect(patched(made.document, made.inverse)).toEqual(song);
  });

  it('that is deleted is out of the list and the line, with its joins; undo brings all of it back', () => {
    const made = change(song, { type: 'delete take', part: 'piano', take: 'b' });
    const [piano] = made.document.parts;
    expect([piano!.takes.map((t) => t.id), piano!.joins, heard(made.document)]).toEqual([
      ['a'],
      [],
      [[0, 4, 'a', null]],
    ]);
    expect(patched(made.document, made.inverse)).toEqual(song);
  });

  it('that is the only one kept is heard wherever it is', () => {
    expect(heard(does({ type: 'keep only take', part: 'piano', take: 'a' }))).toEqual([[0, 8, 'a', 'hand']]);
  });

  it('is brought to another part, or to one of its own, and heard there where nothing was', () => {
    const copied = does({
      type: 'bring take',
      part: 'piano',
      take: 'b',
      to: { part: 'organ' },
      takeId: 'c',
      copy: true,
    });
    expect([copied.parts[0]!.takes.length, copied.parts[1]!.takes.length]).toEqual([2, 1]);
    expect(copied.parts[1]!.takes[0]).toMatchObject({ id: 'c', number: 1, layers: ['layer b'] });
    expect(heard(copied, 1)).toEqual([[0, 8, 'c', null]]);
    const to = { id: 'own', name: 'Own' };
    const moved = does({ type: 'bring take', part: 'piano', take: 'b', to, takeId: 'c', copy: false });
    expect(moved.parts.map((p) => [p.name, p.takes.length])).toEqual([
      [song.parts[0]!.name, 1],
      ['Organ', 0],
      ['Own', 1],
    ]);
    expect(heard(moved)).toEqual([[0, 4, 'a', null]]);
  });

  it('of a stored layer is added with a number of its own', () => {
    const made = { id: 'c', layer: 'l', name: 'What was picked', at: '', range: range(0, 8) };
    const after = does({ type: 'add take', part: 'piano', take: made, heard: true });
    expect(after.parts[0]!.takes.at(-1)).toMatchObject({ number: 3, name: 'What was picked', layers: ['l'] });
    expect(heard(after)).toEqual([[0, 8, 'c', 'hand']]);
  });
});

describe('picks', () => {
  it('forget what was chosen for a join that is no more, and remember what is chosen for new ones', () => {
    const join = { at: 2 * BAR, before: 'a', after: 'b', held: 'cut' as const, lift: true, drop: [], keep: [] };
    const after = does({
      type: 'pick takes',
      part: 'piano',
      picks: [{ ...range(2, 6), takeId: 'b', by: 'suggestion' }],
      joins: [{ ...join, passed: null }],
    });
    expect(after.parts[0]!.joins).toEqual([{ ...join, passed: null }]);
    expect(heard(after)).toEqual([
      [0, 2, 'a', null],
      [2, 6, 'b', 'suggestion'],
      [6, 8, 'b', null],
    ]);
  });

  it('of all controllers give way where a take is picked, and one lane leaves the others', () => {
    const pick = { ...range(0, 4), takeId: 'b' };
    const picked = does(
      { type: 'pick controllers', part: 'piano', pick: { ...pick, lane: 'bend' } },
      { type: 'pick controllers', part: 'piano', pick: { ...pick, ...range(1, 2), lane: 'control 64' } },
      { type: 'pick take', part: 'piano', take: 'a', range: range(2, 4) },
    );
    expect(picked.parts[0]!.lanes.map((l) => [l.lane, l.from / BAR, l.to / BAR])).toEqual([
      ['bend', 0, 2],
      ['control 64', 1, 2],
    ]);
    const all = does({ type: 'pick controllers', part: 'piano', pick: { ...pick, lane: null } });
    expect(all.parts[0]!.lanes).toHaveLength(1);
  });

  it('are taken out of the line, and what is left is as it was', () => {
    expect(heard(does({ type: 'unpick', part: 'piano', range: range(3, 5) }))).toEqual([
      [0, 3, 'a', null],
      [5, 8, 'b', null],
    ]);
  });
});
