import { z } from 'zod';
import { songFields } from '../../document/document';
import type { Section } from '../../document/section';
import { someOf } from '../../vocabulary/fields';
import { playedBars, retime, retimingSchema } from '../retime';
import { command } from './command';

const { title, notes, rhythm, speed, bars, sections, key, tuning, written, transposition } = songFields;

const barsOf = (all: readonly Section[]): number => all.reduce((sum, s) => sum + s.bars, 0);

/** Commands for the whole song: title, length, sections, tempo. */
export const formCommands = {
  'set song': command({
    fields: z.object({ to: someOf({ title, notes, rhythm, speed, key, tuning }) }),
    carryOut: (draft, { to }) => {
      Object.assign(draft, to);
    },
  }),

  'set length': command({
    fields: z.object({ bars }),
    undo: 'the song’s length',
    carryOut: (draft, { bars: to }) => {
      draft.bars = to;
    },
  }),

  'set sections': command({
    fields: z.object({ sections }),
    undo: 'the sections',
    carryOut: (draft, { sections: to }) => {
      // A song that its sections cover keeps their length, but is never shorter than what was played.
      const covered = barsOf(draft.sections) === draft.bars;
      draft.sections = to.map((s) => ({ ...s }));
      draft.bars = Math.max(covered ? playedBars(draft) : draft.bars, barsOf(draft.sections), 1);
    },
  }),

  'set written part': command({
    fields: z.object({ written }),
    undo: 'the written part',
    carryOut: (draft, { written: to }) => {
      draft.written = to.map((w) => ({ ...w }));
    },
  }),

  'set transposition': command({
    fields: z.object({ transposition }),
    undo: 'the transposition',
    carryOut: (draft, { transposition: to }) => {
      draft.transposition = to.map((change) => ({ ...change }));
    },
  }),

  'set tempo': command({
    fields: z.object({ retiming: retimingSchema }),
    undo: 'the tempo',
    carryOut: (draft, { retiming }) => retime(draft, retiming),
  }),
};
