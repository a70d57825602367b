import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { ClientNote } from '../document/clientNote';
import { newSong, type SongDocument } from '../document/document';
import { newPart } from '../document/part';
import { newTake } from '../document/take';
import { COMMANDS, change, kindOf, type Command } from './changes';
import { patched } from './history';
import { header } from '../testing/arbitraries';
import { newBacking } from '../document/backing';

const WORLDS = Number(process.env['WORLDS'] ?? 200);
const placement = { policy: 'heard', nudge: 0 } as const;
const range = { from: 0, to: 3840 };
const at = '2026-01-01T00:00:00.000Z';
const backing = (id: string) => newBacking({ id, name: id, audio: 'a'.repeat(64), length: 60 });
const part = (id: string, i: number): SongDocument['parts'][number] => ({
  ...newPart({ id, name: id }, i),
  takes: [1, 2].map((n) =>
    newTake({
      ...{ id: `${id} take ${n}`, number: n, layers: [`${id} layer ${n}`, `${id} more ${n}`], ...range, placement, at },
    }),
  ),
  comp: [{ ...range, takeId: `${id} take 1` }],
  treatments: [{ id: `${id} r`, ...range, grid: '16 straight', strength: 1, ends: 'keep length' }],
});
const note = (id: string, done: ClientNote['done']): ClientNote => ({
  ...{ id, text: 'bar 2 late', bars: [{ first: 2, last: 2 }], of: 1, heard: 'x', done },
});
const sheetPage = (id: string) => ({ id, file: 'a'.repeat(64), page: 0, aspect: 1.4 });
const song: SongDocument = {
  ...newSong('Lamps on the Causeway', 'p0'),
  sheet: {
    pages: ['q0', 'q1'].map(sheetPage),
    systems: [
      { bar: 1, page: 'q0', top: 0.2 },
      { bar: 5, page: 'q1', top: 0.2 },
    ],
    ink: ['s0', 's1'].map((id, i) => ({ id, page: `q${i}`, points: '0 1' })),
  },
  bars: 8,
  parts: ['p0', 'p1', 'p2', 'p3'].map(part),
  backings: ['b0', 'b1', 'b2'].map(backing),
  clientNotes: ['n0', 'n1', 'n2'].map((id) => note(id, { answer: '', in: null })),
};

const partOf = (n: number): string => `p${n % 4}`;
/** Commands that Undo takes back, one of each, on what a number says. A new kind has to be added. */
const does: Readonly<Record<string, (n: number) => Command>> = {
  record: (n) => ({
    ...{ type: 'record', at },
    result: {
      ...{ passId: 'pass', mode: 'new take' },
      layers: [{ header: header({ id: 'new', partId: partOf(n) }), closing: { range, clears: [] }, notes: 3 }],
    },
  }),
  keep: (n) => ({
    ...{ type: 'keep', at },
    results: [
      {
        ...{ passId: 'pass', mode: 'new take' },
        layers: [{ header: header({ id: 'kept', partId: partOf(n) }), closing: { range, clears: [] }, notes: 3 }],
      },
    ],
  }),
  'mute layer': (n) => ({
    ...{ type: 'mute layer', part: partOf(n), take: `${partOf(n)} take 1`, layer: `${partOf(n)} layer 1`, muted: true },
  }),
  'move layer out': (n) => ({
    ...{ type: 'move layer out', part: partOf(n), take: `${partOf(n)} take 1`, layer: `${partOf(n)} more 1` },
    to: { id: 'out', name: 'Out', takeId: 'out take' },
  }),
  'pick take': (n) => ({ type: 'pick take', part: partOf(n), take: `${partOf(n)} take 2`, range }),
  'pick takes': (n) => ({
    type: 'pick takes',
    part: partOf(n),
    picks: [{ ...range, takeId: `${partOf(n)} take 2` }],
    joins: [],
  }),
  unpick: (n) => ({ type: 'unpick', part: partOf(n), range }),
  'pick controllers': (n) => ({
    ...{ type: 'pick controllers', part: partOf(n) },
    pick: { ...range, takeId: `${partOf(n)} take 2`, lane: null },
  }),
  'set join': (n) => ({
    ...{ type: 'set join', part: partOf(n) },
    join: { at: 0, before: 'a', after: 'b', held: 'cut', lift: false, drop: [], keep: [], passed: null },
  }),
  'set take': (n) => ({ type: 'set take', part: partOf(n), take: `${partOf(n)} take 2`, to: { mark: 'good' } }),
  'bring in take': (n) => ({ type: 'bring in take', part: partOf(n), header: header({ id: 'f' }), range, at }),
  'delete take': (n) => ({ type: 'delete take', part: partOf(n), take: `${partOf(n)} take 1` }),
  'keep only take': (n) => ({ type: 'keep only take', part: partOf(n), take: `${partOf(n)} take 2` }),
  'bring take': (n) => ({
    ...{ type: 'bring take', part: partOf(n), take: `${partOf(n)} take 1`, takeId: 'brought', copy: n % 2 === 0 },
    to: n % 3 ? { part: partOf(n + 1) } : { id: 'new part', name: 'New' },
  }),
  'move take': (n) => ({ type: 'move take', part: partOf(n), take: `${partOf(n)} take 1`, by: 0.25 }),
  'add take': (n) => ({
    ...{ type: 'add take', part: partOf(n), heard: true },
    take: { id: 'added', layer: 'some layer', name: 'Picked', at, range },
  }),
  'edit takes': (n) => ({
    ...{ type: 'edit takes', part: partOf(n), what: 'moving 1 note' },
    takes: [
      {
        take: `${partOf(n)} take 1`,
        edits: [{ op: 'move', notes: { [`${partOf(n)} layer 1`]: '0' }, by: 20, keys: 0 }],
      },
    ],
  }),
  'give takes back': (n) => ({ type: 'give takes back', part: partOf(n), takes: [`${partOf(n)} take 1`] }),
  'paste notes': (n) => ({
    ...{ type: 'paste notes', part: partOf(n), what: 'pasting', at, edits: [], takes: [] },
    layers: [{ header: header({ id: 'pasted', partId: partOf(n), source: 'copy' }), range }],
  }),
  'put stretches': (n) => ({
    ...{ type: 'put stretches', what: 'copying bars 1', cleared: [{ part: partOf(n), range }] },
    takes: [
      {
        ...{ part: partOf(n + 1), range, heard: [range], edits: [], treatments: [] },
        take: { id: 'copied', layers: ['copied layer'], name: 'Copy', at },
      },
    ],
  }),
  'place part': (n) => ({ type: 'place part', part: partOf(n), policy: 'played', nudge: -12 }),
  treat: (n) => ({
    ...{ type: 'treat', part: partOf(n) },
    treatment: { id: 'own', ...range, grid: '8 straight', strength: 0.5, ends: 'keep end' },
  }),
  'treat parts': (n) => ({
    ...{ type: 'treat parts', parts: [partOf(n), partOf(n + 1)] },
    treatment: { id: 'both', ...range, grid: '8 straight', strength: 0.5, ends: 'keep end' },
  }),
  decide: (n) => ({ type: 'decide', part: partOf(n), notes: [`${partOf(n)} layer 1:0`], line: 960 }),
  'take one treatment off': (n) => ({ type: 'take one treatment off', part: partOf(n), treatment: `${partOf(n)} r` }),
  'take treatment off': (n) => ({ type: 'take treatment off', part: partOf(n), range }),
  'add backing': () => ({ type: 'add backing', backing: backing('b9') }),
  'take backing out': (n) => ({ type: 'take backing out', backing: `b${n % 3}` }),
  'move backing': (n) => ({ type: 'move backing', backing: `b${n % 3}`, offset: 2 }),
  'set length': () => ({ type: 'set length', bars: 12 }),
  'set sections': () => ({ type: 'set sections', sections: [{ id: 's', name: 'Verse', bars: 8, pattern: null }] }),
  'set written part': () => ({
    type: 'set written part',
    written: [{ bar: 2, letter: 'B', chords: 'Am7 D7', words: 'softly' }],
  }),
  'set transposition': (n) => ({ type: 'set transposition', transposition: [{ bar: 1 + (n % 5), semitones: 2 }] }),
  'set tempo': () => ({ type: 'set tempo', retiming: { tempo: [{ tick: 0, bpm: 90 }], takes: 'recording' } }),
  'add part': () => ({ type: 'add part', part: { id: 'organ', name: 'Organ' } }),
  'sound again': (n) => ({
    ...{ type: 'sound again', part: partOf(n), heard: false },
    again: { id: 'a', recording: 'r', input: 0, first: 1, bars: [{ at: 0, sign: 'x' }], at },
  }),
  'leave sounded again': (n) => ({ type: 'leave sounded again', part: partOf(n), again: 'a' }),
  'move part': (n) => ({ type: 'move part', part: partOf(n), to: (n * 7) % 4 }),
  'duplicate part': (n) => ({
    ...{ type: 'duplicate part', part: partOf(n), to: { id: 'double', name: 'Double' } },
    takes: ['d1', 'd2'],
  }),
  'put part away': (n) => ({ type: 'put part away', part: partOf(n), away: true }),
  'add sheet pages': () => ({
    type: 'add sheet pages',
    pages: [sheetPage('q9')],
    systems: [{ bar: 3, page: 'q9', top: 0.1 }],
  }),
  'take sheet pages out': (n) => ({ type: 'take sheet pages out', pages: [`q${n % 2}`] }),
  'place system': (n) => ({ type: 'place system', system: { bar: 2, page: `q${n % 2}`, top: 0.5 } }),
  'take system out': () => ({ type: 'take system out', bar: 1 }),
  'write on sheet': (n) => ({ type: 'write on sheet', stroke: { id: 'new', page: `q${n % 2}`, points: '0 1' } }),
  'rub out': (n) => ({ type: 'rub out', strokes: [`s${n % 2}`] }),
  'add client notes': () => ({ type: 'add client notes', notes: [note('n9', null)] }),
  'set client note': (n) => ({ type: 'set client note', note: `n${n % 3}`, to: { text: 'bar 2 early' } }),
  'take client note out': (n) => ({ type: 'take client note out', note: `n${n % 3}` }),
  'wave through': () => ({ type: 'wave through', check: 'silent 1', words: 'is silent', reason: 'as agreed' }),
};

const sets: fc.Arbitrary<Command> = fc.oneof(
  fc
    .tuple(fc.nat(3), fc.integer({ min: -40, max: 6 }), fc.boolean(), fc.constantFrom('Keys', 'Lamp', 'Low'))
    .map(([n, gainDb, muted, name]): Command => ({ type: 'set part', part: partOf(n), to: { gainDb, muted, name } })),
  fc
    .tuple(fc.nat(2), fc.integer({ min: -40, max: 6 }))
    .map(([n, gainDb]): Command => ({ type: 'set backing', backing: `b${n}`, to: { gainDb } })),
  fc
    .nat(3)
    .map((n): Command => ({ type: 'hand over', parts: [{ id: partOf(n), bars: ['a', ''] }], version: n + 1, at })),
  fc.constant<Command>({ type: 'set click', click: { accent: false } }),
);

/** Settings of a song's parts and backings, and the versions that told of notes. */
const settingsOf = ({ parts, backings, clientNotes }: SongDocument) => [
  ...clientNotes.map(({ id, done }) => ({ id, in: done?.in })),
  ...parts.map(({ id, name, gainDb, muted, solo, ink, sound, handed }) => ({
    ...{ id, name, gainDb, muted, ink, sound, handed, solo },
  })),
  ...backings.map(({ id, name, gainDb, muted, pan }) => ({ id, name, gainDb, muted, pan })),
];

describe('undo of each command there is', () => {
  const types = Object.keys(COMMANDS).filter((type) => COMMANDS[type as keyof typeof COMMANDS].undo !== undefined);

  it('is tried: none is left out', () => {
    expect(types.filter((type) => !does[type])).toEqual([]);
  });

  it.each(types)('"%s" leaves settings that were made since, and comes back', (type) => {
    fc.assert(
      fc.property(fc.nat(50), fc.array(sets, { minLength: 1, maxLength: 6 }), (n, since) => {
        const command = does[type]!(n);
        const made = change(song, command);
        expect(kindOf(command)).toBe('do');
        expect(patched(made.document, made.inverse)).toEqual(song);
        expect(patched(song, made.patches)).toEqual(made.document);
        const set = since.reduce((doc, c) => {
          const names = [...doc.parts, ...doc.backings].map((x) => x.id);
          const { part, backing } = c as { readonly part?: unknown; readonly backing?: unknown };
          const named = part ?? backing;
          return typeof named === 'string' && !names.includes(named) ? doc : change(doc, c).document;
        }, made.document);
        const back = patched(set, JSON.parse(JSON.stringify(made.inverse)));
        const now = new Map(settingsOf(back).map((s) => [s.id, s]));
        const changedByItself = new Map(settingsOf(made.document).map((s) => [s.id, s]));
        const before = new Map(settingsOf(song).map((s) => [s.id, s]));
        for (const was of settingsOf(set)) {
          const here = now.get(was.id);
          if (!here) continue;
          for (const field of Object.keys(was) as (keyof typeof was)[]) {
            // A setting that the command itself had changed goes back with it.
            const own = changedByItself.get(was.id)?.[field] !== before.get(was.id)?.[field];
            if (!own) expect(here[field]).toEqual(was[field]);
          }
        }
        const again = patched(back, JSON.parse(JSON.stringify(made.patches)));
        expect(settingsOf(again)).toEqual(settingsOf(set));
      }),
      { numRuns: Math.ceil(WORLDS / 10) },
    );
  });
});
